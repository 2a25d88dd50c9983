#include "builtins/reference.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/elementwise.h"
#include "builtins/tables.h"
#include "value/arguments.h"

namespace quill {

namespace {

std::string page_of(std::string_view family) {
  std::string out(family);
  std::replace(out.begin(), out.end(), ' ', '-');
  return out + ".md";
}

// A cell of a table: bars would end it.
std::string in_table(std::string_view text) {
  std::string out;
  for (const char c : text) out += c == '|' ? "\\|" : std::string(1, c);
  return out;
}

std::string block(std::string_view language, std::string_view text) {
  return fmt::format("```{}\n{}\n```\n", language, text);
}

std::string section_of(const Builtin& row) {
  std::string out = fmt::format("## {}\n\n{}\n\n", row.name, row.summary);
  if (!row.constant) {
    out += block("text", signature_of(row));
    if (!row.parameters.empty()) {
      out += "\n| argument | what it is | default |\n|---|---|---|\n";
      for (const auto& p : row.parameters)
        out += fmt::format("| `{}` | {} | {} |\n", p.free_names ? "name: value" : in_table(p.name),
                           in_table(p.about),
                           p.fallback.empty() || p.many ? "" : fmt::format("`{}`", in_table(p.fallback)));
    }
    out += "\n";
  }
  const auto add = [&](std::string_view title, std::string_view text) {
    if (!text.empty()) out += fmt::format("**{}** {}.\n\n", title, text);
  };
  add("Gives", row.returns);
  add("Errors", row.errors);
  add("Method", row.source);
  if (!row.example.empty()) {
    out += block("quill", row.example);
    if (!row.output.empty()) out += "\nprints\n\n" + block("text", row.output);
    out += "\n";
  }
  return out;
}

std::vector<std::string_view> families() {
  std::vector<std::string_view> out;
  for (const auto& row : builtins().rows())
    if (std::find(out.begin(), out.end(), row.family) == out.end()) out.push_back(row.family);
  return out;
}

constexpr ElementType kNumeric[] = {ElementType::float64, ElementType::float32, ElementType::int32,
                                    ElementType::int64,   ElementType::uint8,   ElementType::complex128,
                                    ElementType::boolean};

std::string pair_table(Binary op) {
  std::string out = "| |";
  for (const auto b : kNumeric) out += fmt::format(" {} |", name_of(b));
  out += "\n|---|";
  for (std::size_t k = 0; k < std::size(kNumeric); ++k) out += "---|";
  out += "\n";
  for (const auto a : kNumeric) {
    out += fmt::format("| **{}** |", name_of(a));
    for (const auto b : kNumeric)
      out += fmt::format(" {} |", name_of(result_type(op, Array(a, {2}), Array(b, {2}))));
    out += "\n";
  }
  return out;
}

std::string types_page() {
  std::string out =
      "# Element types\n\n"
      "Every literal is `float64`; the other types come from conversions (`int32(x)`), from `type:` where "
      "arrays are\n"
      "made, and from files.\n\n"
      "| type | holds | bytes an element |\n|---|---|---|\n"
      "| `float64` | real numbers, 15 to 17 digits | 8 |\n| `float32` | real numbers, 6 to 9 digits | 4 |\n"
      "| `int32` | whole numbers from -2147483648 to 2147483647 | 4 |\n"
      "| `int64` | whole numbers from -9223372036854775808 to 9223372036854775807 | 8 |\n"
      "| `uint8` | whole numbers from 0 to 255 | 1 |\n| `complex128` | complex numbers | 16 |\n"
      "| `bool` | `true` and `false`; 1 and 0 in arithmetic | 1 |\n| `text` | texts | |\n"
      "| `any` | values of every kind | |\n\n"
      "Integers never wrap: a result that does not fit its type is an error. A whole number written in the "
      "program\n"
      "takes the type of integers beside it, and a single real number does not widen an array of `float32`:\n"
      "`int32([1, 2]) * 3` is `int32`, `float32([1, 2]) * 0.1` is `float32`. Two single numbers give the "
      "wider\n"
      "type, so `float32(1) + 0.5` is `float64`, and timestamps are never narrowed. Whole numbers and "
      "real\n"
      "ones are compared by value, without rounding.\n\n"
      "## The type of a + b, a * b, a % b, a ^ b\n\n";
  out += pair_table(Binary::add);
  out += "\n## The type of a - b\n\n" + pair_table(Binary::subtract);
  out += "\n## The type of a / b\n\n" + pair_table(Binary::divide);
  out +=
      "\n## Sums, products, and functions\n\n| of | sum, product | -x | abs, floor, … | sqrt, sin, … "
      "|\n|---|---|---|---|---|\n";
  for (const auto t : kNumeric)
    out += fmt::format("| **{}** | {} | {} | {} | {} |\n", name_of(t), name_of(sum_type(t)),
                       name_of(result_type(Unary::negate, t)), name_of(result_type(Unary::abs, t)),
                       name_of(result_type(Unary::sqrt, t)));
  out +=
      "\nThe absolute value of complex numbers is real; `floor` and its like are not defined for them.\n\n"
      "## Storing\n\n"
      "An element that is stored takes the type of its array. Real types round; a fraction among integers, a "
      "number\n"
      "outside of their range, a number other than 0 and 1 among truth values, and an imaginary part among "
      "reals are\n"
      "errors.\n";
  return out;
}

}  // namespace

std::map<std::string, std::string> reference_pages() {
  std::map<std::string, std::string> pages;
  std::string index =
      "# Reference\n\nEvery built-in, by family. The same text stands behind `eager-quill help NAME` and "
      "`:help NAME`.\n"
      "[Element types](types.md) says how numbers of different types go together.\n";
  for (const auto family : families()) {
    auto title = std::string(family);
    title[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(title[0])));
    std::string page = fmt::format("# {}\n\n", title);
    index += fmt::format("\n## [{}]({})\n\n", title, page_of(family));
    for (const auto& row : builtins().rows()) {
      if (row.family != family) continue;
      page += section_of(row);
      index +=
          fmt::format("- `{}` {}\n", row.constant ? std::string(row.name) : signature_of(row), row.summary);
    }
    while (page.ends_with("\n\n")) page.pop_back();
    pages[page_of(family)] = std::move(page);
  }
  pages["README.md"] = std::move(index);
  pages["types.md"] = types_page();
  return pages;
}

}  // namespace quill
