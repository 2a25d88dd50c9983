// Texts.
#include <fmt/format.h>

#include <limits>

#include "base/rounded_integer.h"
#include "base/text.h"
#include "builtins/choices.h"
#include "builtins/each_text.h"
#include "builtins/tables.h"
#include "value/print.h"

namespace quill {

namespace texts_calls {
namespace {

Value text_row(Call& call) { return Value::text(formatted(call.value(0), call.text_or(1, ""))); }

Value number_row(Call& call) {
  std::string first;  // integer that is rounded
  Index rounded = 0;
  auto out = each_text<double>(texts(call, 0), [&](const std::string& t) {
    const auto value = parse_number(trim(t));
    if (value && is_rounded_integer(trim(t), *value) && rounded++ == 0) first = trim(t);
    if (!value && call.given(1)) return call.number(1);
    if (!value)
      call.fail_argument(0, fmt::format("must be a number written as text, not \"{}\"", t),
                         "number(t, otherwise: nan) returns nan instead");
    return *value;
  });
  if (rounded > 0)
    call.warn(fmt::format("number: {}{} has more digits than float64 holds and is rounded", first,
                          rounded == 1 ? "" : fmt::format(" (the first of {} such integers)", rounded)),
              "load(…) of a table keeps all digits of a column of integers");
  return out;
}

Value characters_row(Call& call) {
  const auto t = call.text(0);
  std::vector<std::string> out;
  for (std::size_t i = 0; i < t.size();) {
    const auto c = decode(t, i);
    out.push_back(t.substr(i, static_cast<std::size_t>(c.length)));
    i += static_cast<std::size_t>(c.length);
  }
  return Value::array(Array::vector(out));
}

Value split_row(Call& call) {
  const auto t = call.text(0);
  std::vector<std::string> out;
  if (!call.given(1)) {
    for (std::size_t at = t.find_first_not_of(" \t\r\n"); at != t.npos;) {
      const auto end = std::min(t.find_first_of(" \t\r\n", at), t.size());
      out.push_back(t.substr(at, end - at));
      at = t.find_first_not_of(" \t\r\n", end);
    }
  } else {
    const auto by = call.text(1);
    if (by.empty())
      call.fail_argument(1, "must be a text of at least one character",
                         "characters(t) splits a text into characters");
    std::size_t at = 0;
    for (auto end = t.find(by); end != t.npos; end = t.find(by, at)) {
      out.push_back(t.substr(at, end - at));
      at = end + by.size();
    }
    out.push_back(t.substr(at));
  }
  return Value::array(Array::vector(out));
}

Value join_row(Call& call) {
  const auto a = call.array(0);
  if ((a.size() > 0 && a.type() != ElementType::text) || a.axes() == 0)
    call.fail_argument(0, fmt::format("must be a vector of texts, not {}", kind_in_words(call.value(0))),
                       a.axes() == 0 && call.given(1) && call.value(1).is(Kind::text)
                           ? "texts are joined from a vector: join_text([a, b])"
                           : "");
  if (a.size() == 0) return Value::text("");
  const auto items = a.to_vector<std::string>();
  return Value::text(fmt::format("{}", fmt::join(items, call.text_or(1, ""))));
}

std::string replaced(const std::string& t, const std::string& old, const std::string& by) {
  std::string out;
  std::size_t at = 0;
  for (auto end = t.find(old); end != t.npos; end = t.find(old, at)) {
    out += t.substr(at, end - at) + by;
    at = end + old.size();
  }
  return out + t.substr(at);
}

Value replace_row(Call& call) {
  const auto old = call.text(1), by = call.text(2);
  if (old.empty()) call.fail_argument(1, "must be a text of at least one character");
  return each_text<std::string>(texts(call, 0), [&](const std::string& t) { return replaced(t, old, by); });
}

Value contains_row(Call& call) {
  const auto part = call.text(1);
  return each_text<bool>(texts(call, 0), [&](const std::string& t) { return t.find(part) != t.npos; });
}

Value starts_with_row(Call& call) {
  const auto part = call.text(1);
  return each_text<bool>(texts(call, 0), [&](const std::string& t) { return t.starts_with(part); });
}

Value ends_with_row(Call& call) {
  const auto part = call.text(1);
  return each_text<bool>(texts(call, 0), [&](const std::string& t) { return t.ends_with(part); });
}

// Counted in characters from 1.
Value find_text_row(Call& call) {
  const auto part = call.text(1);
  return each_text<double>(texts(call, 0), [&](const std::string& t) {
    const auto at = t.find(part);
    return at == t.npos ? 0.0 : static_cast<double>(count_characters(std::string_view(t).substr(0, at)) + 1);
  });
}

Value text_part_row(Call& call) {
  const auto first = call.whole(1);
  const auto last = call.given(2) ? call.whole(2) : std::numeric_limits<Index>::max();
  if (first < 1) call.fail_argument(1, fmt::format("must be an index from 1, not {}", first));
  return each_text<std::string>(texts(call, 0), [&](const std::string& t) {
    std::string out;
    Index k = 1;
    for (std::size_t i = 0; i < t.size() && k <= last; ++k) {
      const auto length = static_cast<std::size_t>(decode(t, i).length);
      if (k >= first) out += t.substr(i, length);
      i += length;
    }
    return out;
  });
}

Value pad_text_row(Call& call) {
  const auto width = call.whole(1);
  constexpr Index most = 100000;
  if (width < 0 || width > most)
    call.fail_argument(1, fmt::format("must be a width from 0 to {}, not {}", most, width));
  const auto side = call.one_of(2);
  const auto with = call.text_or(3, " ");
  if (count_characters(with) != 1)
    call.fail_argument(3, fmt::format("must be a single character, not \"{}\"", with));
  return each_text<std::string>(texts(call, 0), [&](const std::string& t) {
    const auto have = static_cast<Index>(display_width(t));
    const auto missing = std::max<Index>(width - have, 0);
    const auto left = side == "left" ? missing : side == "both" ? missing / 2 : 0;
    std::string out;
    for (Index k = 0; k < left; ++k) out += with;
    out += t;
    for (Index k = left; k < missing; ++k) out += with;
    return out;
  });
}

// A line end at the end of the text begins no further line.
Value lines_row(Call& call) {
  const auto t = call.text(0);
  std::vector<std::string> out;
  for (std::size_t at = 0; at < t.size();) {
    const auto end = std::min(t.find('\n', at), t.size());
    auto line = t.substr(at, end - at);
    if (line.ends_with('\r')) line.pop_back();
    out.push_back(std::move(line));
    at = end + 1;
  }
  return Value::array(Array::vector(out));
}

Value repeat_text_row(Call& call) {
  const auto n = call.whole(1);
  if (n < 0) call.fail_argument(1, fmt::format("must be an integer from 0, not {}", n));
  return each_text<std::string>(texts(call, 0), [&](const std::string& t) {
    const auto bytes = checked_product(static_cast<Index>(t.size()), n);
    if (!bytes || *bytes > (Index{1} << 40))
      call.fail_argument(1, fmt::format("makes too long a text: {} times", n));
    std::string out;
    out.reserve(static_cast<std::size_t>(*bytes));
    for (Index k = 0; k < n; ++k) out += t;
    return out;
  });
}

}  // namespace
}  // namespace texts_calls

std::vector<Builtin> text_rows() {
  using namespace texts_calls;
  const Parameter t = {"t", "a text, or an array of texts", ""};
  constexpr std::string_view same_shape = "a text, or an array of the shape of t";
  return {
      {
          .name = "text",
          .family = "text",
          .summary = "Convert a value to text; each text(v, …) converts every element.",
          .parameters = {{"x", "any value", ""},
                         {"format", "format specification, as in \"{x:.2f}\"", "\"\""}},
          .returns = "a text",
          .errors = "if the format does not fit the value",
          .example = "text(2/3, \".3f\")",
          .output = "text(2/3, \".3f\") = \"0.667\"",
          .run = text_row,
          .maps_texts = true,
      },
      {
          .name = "number",
          .family = "text",
          .summary = "Convert a text to a number.",
          .parameters = {t, {"otherwise", "result if the text is not a number; default: an error", "none"}},
          .returns = "a number, or an array of the shape of t",
          .errors = "if the text is not a number",
          .example = "number([\"2.5e3\", \" 7\"])\nnumber([\"3\", \"dry\"], otherwise: nan)",
          .output = "number([\"2.5e3\", \" 7\"]) : float64 2\n  2500     7\nnumber([\"3\", \"dry\"], "
                    "otherwise: nan) "
                    ": float64 2\n    3  nan",
          .run = number_row,
      },
      {
          .name = "characters",
          .family = "text",
          .summary = "Split a text into characters.",
          .parameters = {{"t", "a text", ""}},
          .returns = "a vector of texts",
          .example = "characters(\"lake\")",
          .output = "characters(\"lake\") : text 4\n  \"l\"  \"a\"  \"k\"  \"e\"",
          .run = characters_row,
      },
      {
          .name = "upper",
          .family = "text",
          .summary = "Convert letters to upper case.",
          .parameters = {t},
          .returns = same_shape,
          .source = "the simple case mapping of Unicode",
          .example = "upper(\"Lake Velm, Süd\")",
          .output = "upper(\"Lake Velm, Süd\") = \"LAKE VELM, SÜD\"",
          .run =
              [](Call& c) {
                return each_text<std::string>(texts(c, 0), [](const std::string& s) { return to_upper(s); });
              },
          .maps_texts = true,
      },
      {
          .name = "lower",
          .family = "text",
          .summary = "Convert letters to lower case.",
          .parameters = {t},
          .returns = same_shape,
          .source = "the simple case mapping of Unicode",
          .example = "lower(\"Lake VELM\")",
          .output = "lower(\"Lake VELM\") = \"lake velm\"",
          .run =
              [](Call& c) {
                return each_text<std::string>(texts(c, 0), [](const std::string& s) { return to_lower(s); });
              },
          .maps_texts = true,
      },
      {
          .name = "trim",
          .family = "text",
          .summary = "Remove spaces, tabs and line ends around a text.",
          .parameters = {t},
          .returns = same_shape,
          .example = "trim(\"  buoy \")",
          .output = "trim(\"  buoy \") = \"buoy\"",
          .run =
              [](Call& c) {
                return each_text<std::string>(texts(c, 0),
                                              [](const std::string& s) { return std::string(trim(s)); });
              },
          .maps_texts = true,
      },
      {
          .name = "split_text",
          .family = "text",
          .summary = "Split a text at a separator, or at spaces.",
          .parameters = {{"t", "a text", ""},
                         {"by", "separator; none: any run of spaces, tabs and line ends", "none"}},
          .returns = "a vector of texts",
          .errors = "if the separator is empty",
          .example = "split_text(\"12;7;;3\", \";\")",
          .output = "split_text(\"12;7;;3\", \";\") : text 4\n  \"12\"  \"7\"   \"\"    \"3\"",
          .run = split_row,
      },
      {
          .name = "join_text",
          .family = "text",
          .summary = "Join texts to one.",
          .parameters = {{"texts", "a vector of texts", ""}, {"by", "separator between the texts", "\"\""}},
          .returns = "a text",
          .example = "join_text([\"a\", \"b\", \"c\"], \" + \")",
          .output = "join_text([\"a\", \"b\", \"c\"], \" + \") = \"a + b + c\"",
          .run = join_row,
      },
      {
          .name = "replace_text",
          .family = "text",
          .summary = "Replace every occurrence of a part of a text.",
          .parameters = {t, {"old", "part to find", ""}, {"by", "replacement", ""}},
          .returns = same_shape,
          .errors = "if the part is empty",
          .example = "replace_text(\"3,5 and 4,25\", \",\", \".\")",
          .output = "replace_text(\"3,5 and 4,25\", \",\", \".\") = \"3.5 and 4.25\"",
          .run = replace_row,
          .maps_texts = true,
      },
      {
          .name = "contains",
          .family = "text",
          .summary = "Test whether a text contains a part.",
          .parameters = {t, {"part", "part to find", ""}},
          .returns = "a boolean, or an array of the shape of t",
          .example = "contains([\"buoy 1\", \"inlet\"], \"buoy\")",
          .output = "contains([\"buoy 1\", \"inlet\"], \"buoy\") : bool 2\n   true  false",
          .run = contains_row,
          .maps_texts = true,
      },
      {
          .name = "starts_with",
          .family = "text",
          .summary = "Test whether a text begins with a part.",
          .parameters = {t, {"part", "part to find", ""}},
          .returns = "a boolean, or an array of the shape of t",
          .example = "starts_with(\"buoy 1\", \"bu\")",
          .output = "starts_with(\"buoy 1\", \"bu\") = true",
          .run = starts_with_row,
          .maps_texts = true,
      },
      {
          .name = "ends_with",
          .family = "text",
          .summary = "Test whether a text ends with a part.",
          .parameters = {t, {"part", "part to find", ""}},
          .returns = "a boolean, or an array of the shape of t",
          .example = "ends_with([\"bed.csv\", \"bed.png\"], \".csv\")",
          .output = "ends_with([\"bed.csv\", \"bed.png\"], \".csv\") : bool 2\n   true  false",
          .run = ends_with_row,
          .maps_texts = true,
      },
      {
          .name = "find_text",
          .family = "text",
          .summary = "Find the first occurrence of a part of a text, counted in characters from 1.",
          .parameters = {t, {"part", "part to find", ""}},
          .returns = "an index, or an array of indices; 0 if the part does not occur",
          .example = "find_text(\"station: deep\", \":\")",
          .output = "find_text(\"station: deep\", \":\") = 8",
          .run = find_text_row,
          .maps_texts = true,
      },
      {
          .name = "text_part",
          .family = "text",
          .summary = "Extract the characters of a text from one index to another, both included.",
          .parameters = {t,
                         {"first", "index of the first character, from 1", ""},
                         {"last", "index of the last character; none: to the end", "none"}},
          .returns = same_shape,
          .errors = "if the first index is below 1",
          .example = "text_part(\"station: deep\", 10)\ntext_part(\"2026-06-01\", 6, 7)",
          .output = "text_part(\"station: deep\", 10) = \"deep\"\ntext_part(\"2026-06-01\", 6, 7) = \"06\"",
          .run = text_part_row,
          .maps_texts = true,
      },
      {
          .name = "pad_text",
          .family = "text",
          .summary = "Pad a text to a width.",
          .parameters = {t,
                         {"width", "width in columns; longer texts are unchanged", ""},
                         one_of({"side", "side to pad: \"right\", \"left\" or \"both\"", "\"right\""},
                                choices::kSides),
                         {"with", "character to pad with", "\" \""}},
          .returns = same_shape,
          .errors = "if `fill` is not a single character",
          .example = "pad_text([\"7\", \"42\"], 3, side: \"left\")",
          .output = "pad_text([\"7\", \"42\"], 3, side: \"left\") : text 2\n  \"  7\"  \" 42\"",
          .run = pad_text_row,
          .maps_texts = true,
      },
      {
          .name = "text_lines",
          .family = "text",
          .summary = "Split a text into lines.",
          .parameters = {{"t", "a text", ""}},
          .returns = "a vector of texts, without line ends",
          .example = "text_lines(\"inlet 3\\ndeep 38\\n\")",
          .output = "text_lines(\"inlet 3\\ndeep 38\\n\") : text 2\n  \"inlet 3\"  \"deep 38\"",
          .run = lines_row,
      },
      {
          .name = "repeat_text",
          .family = "text",
          .summary = "Repeat a text.",
          .parameters = {t, {"n", "number of repetitions", ""}},
          .returns = same_shape,
          .errors = "if the number is below 0",
          .example = "repeat_text(\"-=\", 4)",
          .output = "repeat_text(\"-=\", 4) = \"-=-=-=-=\"",
          .run = repeat_text_row,
          .maps_texts = true,
      },
  };
}

}  // namespace quill
