#include "builtins/reference.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/elementwise.h"
#include "builtins/tables.h"
#include "value/arguments.h"

namespace quill {

std::string reference_page_of(std::string_view family, std::string_view extension) {
  std::string out(family);
  std::replace(out.begin(), out.end(), ' ', '-');
  return out + std::string(extension);
}

namespace {

// A cell of a table: bars would end it.
std::string in_table(std::string_view text) {
  std::string out;
  for (const char c : text) out += c == '|' ? "\\|" : std::string(1, c);
  return out;
}

std::string block(std::string_view language, std::string_view text) {
  return fmt::format("```{}\n{}\n```\n", language, text);
}

// The parameters, each group in a table of its own.
std::string parameter_tables(const Builtin& row) {
  std::vector<std::string_view> groups;
  for (const auto& p : row.parameters)
    if (std::find(groups.begin(), groups.end(), p.group) == groups.end()) groups.push_back(p.group);
  std::stable_partition(groups.begin(), groups.end(), [](std::string_view group) { return group.empty(); });
  std::string out;
  for (const auto group : groups) {
    out += fmt::format("\n| {} | description | default |\n|---|---|---|\n",
                       group.empty() ? "parameter" : std::string(group));
    for (const auto& p : row.parameters)
      if (p.group == group)
        out += fmt::format("| `{}` | {} | {} |\n", p.free_names ? "name: value" : in_table(p.name),
                           in_table(p.about),
                           p.fallback.empty() || p.many ? "" : fmt::format("`{}`", in_table(p.fallback)));
  }
  return out;
}

// Links to the sections of related built-ins.
std::string links_to(std::string_view names) {
  std::string out;
  for (std::size_t at = 0; at < names.size();) {
    const auto end = std::min(names.find(' ', at), names.size());
    const auto name = names.substr(at, end - at);
    const auto& row = builtins().row(builtins().find(name));
    out += fmt::format("{}[{}]({}#{})", out.empty() ? "" : ", ", name, reference_page_of(row.family), name);
    at = end + 1;
  }
  return out;
}

std::string section_of(const Builtin& row) {
  std::string out = fmt::format("## {}\n\n{}\n\n", row.name, row.summary);
  if (!row.constant) out += block("text", short_signature_of(row)) + parameter_tables(row) + "\n";
  const auto add = [&](std::string_view title, std::string_view text) {
    if (!text.empty()) out += fmt::format("**{}** {}.\n\n", title, text);
  };
  add("Returns", row.returns);
  add("Errors", row.errors);
  add("Reference", row.source);
  add("See also", links_to(row.see_also));
  if (!row.example.empty()) {
    out += block("quill", row.example);
    if (!row.output.empty()) out += "\n" + block("text", row.output);
    out += "\n";
  }
  return out;
}

std::string language_page() {
  std::string out = "# Language\n\n";
  for (const auto& topic : topics()) {
    out += fmt::format("## {}\n\n{}\n\n{}\n", topic.name, topic.summary, block("text", topic.form));
    if (topic.example.empty()) continue;
    out += block("quill", topic.example) + "\n";
    if (!topic.output.empty()) out += block("text", topic.output) + "\n";
  }
  while (out.ends_with("\n\n")) out.pop_back();
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
      "Every literal is `float64`; other types come from conversions (`int32(x)`), from `type:` when arrays "
      "are "
      "created,\nand from files.\n\n"
      "| type | values | bytes per element |\n|---|---|---|\n"
      "| `float64` | real numbers, 15 to 17 digits | 8 |\n| `float32` | real numbers, 6 to 9 digits | 4 |\n"
      "| `int32` | integers from -2147483648 to 2147483647 | 4 |\n"
      "| `int64` | integers from -9223372036854775808 to 9223372036854775807 | 8 |\n"
      "| `uint8` | integers from 0 to 255 | 1 |\n| `complex128` | complex numbers | 16 |\n"
      "| `bool` | `true` and `false`; 1 and 0 in arithmetic | 1 |\n| `text` | texts | |\n"
      "| `any` | values of any kind | |\n\n"
      "Integers never wrap around: a result that does not fit its type is an error. An integer literal takes "
      "the "
      "type of\nintegers beside it, and a single real number does not widen an array of `float32`: "
      "`int32([1, 2]) * 3` is `int32`,\n`float32([1, 2]) * 0.1` is `float32`. Two single numbers give the "
      "wider "
      "type, so `float32(1) + 0.5` is `float64`;\ntimestamps are never narrowed. Integers and real numbers "
      "are "
      "compared by value, without rounding.\n\n"
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
      "\nThe absolute value of complex numbers is real; `floor`, `ceil`, `round` and `truncate` are not "
      "defined "
      "for them.\n\n## Storing\n\n"
      "An element that is stored takes the type of its array. Real types round. A fraction in an integer "
      "array, a "
      "number\noutside the range of the type, a number other than 0 and 1 in a boolean array, and an "
      "imaginary part "
      "in a real array\nare errors.\n";
  return out;
}

}  // namespace

std::map<std::string, std::string> reference_pages() {
  std::map<std::string, std::string> pages;
  std::string index =
      "# Reference\n\nAll built-ins by family; `eager-quill help NAME` prints the same text. "
      "[Language](language.md) "
      "describes\nstatements and operators, [element types](types.md) the types of results.\n";
  for (const auto family : families()) {
    auto title = std::string(family);
    title[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(title[0])));
    std::string page = fmt::format("# {}\n\n", title);
    index += fmt::format("\n## [{}]({})\n\n", title, reference_page_of(family));
    for (const auto& row : builtins().rows()) {
      if (row.family != family) continue;
      page += section_of(row);
      index += fmt::format("- [{}]({}#{}): {}\n", row.name, reference_page_of(family), row.name, row.summary);
    }
    while (page.ends_with("\n\n")) page.pop_back();
    pages[reference_page_of(family)] = std::move(page);
  }
  pages["README.md"] = std::move(index);
  pages["language.md"] = language_page();
  pages["types.md"] = types_page();
  return pages;
}

}  // namespace quill
