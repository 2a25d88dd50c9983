// Texts.
#include <fmt/format.h>

#include "array/elementwise.h"
#include "array/strided.h"
#include "base/text.h"
#include "base/time_text.h"
#include "builtins/tables.h"
#include "value/print.h"

namespace quill {

namespace {

Value text_row(Call& call) { return Value::text(formatted(call.value(0), call.text_or(1, ""))); }

Array texts(const Call& call, std::size_t i) {
  auto a = call.array(i);
  if (a.type() != ElementType::text)
    call.fail_argument(i,
                       fmt::format("is a text or an array of texts, not {}", kind_in_words(call.value(i))));
  return a;
}

// f of every text, in an array of the same shape.
template <class R, class F>
Value each_text(const Array& a, F f) {
  Array out(type_of<R>, a.shape());
  R* to = out.mutable_data<R>();
  for_each_run<1>(a.shape(), {a.strides()}, [&](const auto& at, const auto& step, Index n) {
    const auto* from = a.data<std::string>() + at[0];
    for (Index i = 0; i < n; ++i) *to++ = f(from[i * step[0]]);
  });
  return Value::array(std::move(out));
}

Value number_row(Call& call) {
  return each_text<double>(texts(call, 0), [&](const std::string& t) {
    const auto value = parse_number(trim(t));
    if (!value) call.fail_argument(0, fmt::format("is a number written as text, and \"{}\" is not", t));
    return *value;
  });
}

Value timestamp_row(Call& call) {
  const auto given = texts(call, 0);
  const auto out = each_text<double>(given, [&](const std::string& t) {
    const auto time = parse_time(t);
    if (!time)
      call.fail_argument(0, fmt::format("is a date of the calendar, and \"{}\" is none", printable(t)),
                         "timestamp(\"2026-06-01T12:30\")");
    return *time;
  });
  if (!out.is(Kind::array) || given.axes() == 0) return out;
  auto times = out.array();
  times.label = std::make_shared<Label>(Label{"", std::string(kTimeUnit)});
  return Value::array(std::move(times));
}

Value timestamp_text_row(Call& call) {
  const auto given = call.reals(0);
  if (given.axes() == 0) return Value::text(time_text(call.number(0)));
  Array out(ElementType::text, given.shape());
  const auto times = given.to_vector<double>();
  for (std::size_t k = 0; k < times.size(); ++k) out.mutable_data<std::string>()[k] = time_text(times[k]);
  return Value::array(std::move(out));
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
      call.fail_argument(1, "is a text of at least one character", "characters(t) takes a text apart");
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
  if (a.size() > 0 && a.type() != ElementType::text)
    call.fail_argument(0, fmt::format("is a vector of texts, not {}", kind_in_words(call.value(0))));
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
  if (old.empty()) call.fail_argument(1, "is a text of at least one character");
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

}  // namespace

std::vector<Builtin> text_rows() {
  const Parameter t = {"t", "a text, or an array of texts", ""};
  constexpr std::string_view same_shape = "a text, or an array of the shape of t";
  return {
      {
          .name = "text",
          .family = "text",
          .summary = "A value as text.",
          .parameters = {{"x", "a value", ""},
                         {"format", "a format specification as in \"{x:.2f}\"", "\"\""}},
          .returns = "a text",
          .errors = "a format that does not fit",
          .example = "text(2/3, \".3f\")",
          .output = "text(2/3, \".3f\") = \"0.667\"",
          .run = text_row,
      },
      {
          .name = "number",
          .family = "text",
          .summary = "The number written in a text.",
          .parameters = {t},
          .returns = "a number, or an array of the shape of t",
          .errors = "a text that is not a number",
          .example = "number([\"2.5e3\", \" 7\"])",
          .output = "number([\"2.5e3\", \" 7\"]) : float64 2\n  2500     7",
          .run = number_row,
      },
      {
          .name = "characters",
          .family = "text",
          .summary = "The characters of a text.",
          .parameters = {{"t", "a text", ""}},
          .returns = "a vector of texts",
          .example = "characters(\"lake\")",
          .output = "characters(\"lake\") : text 4\n  \"l\"  \"a\"  \"k\"  \"e\"",
          .run = characters_row,
      },
      {
          .name = "upper",
          .family = "text",
          .summary = "Small letters as capitals.",
          .parameters = {t},
          .returns = same_shape,
          .source = "the simple case mapping of Unicode",
          .example = "upper(\"Lake Velm, Süd\")",
          .output = "upper(\"Lake Velm, Süd\") = \"LAKE VELM, SÜD\"",
          .run =
              [](Call& c) {
                return each_text<std::string>(texts(c, 0), [](const std::string& s) { return to_upper(s); });
              },
      },
      {
          .name = "lower",
          .family = "text",
          .summary = "Capitals as small letters.",
          .parameters = {t},
          .returns = same_shape,
          .source = "the simple case mapping of Unicode",
          .example = "lower(\"Lake VELM\")",
          .output = "lower(\"Lake VELM\") = \"lake velm\"",
          .run =
              [](Call& c) {
                return each_text<std::string>(texts(c, 0), [](const std::string& s) { return to_lower(s); });
              },
      },
      {
          .name = "trim",
          .family = "text",
          .summary = "A text without the spaces, tabs and line ends around it.",
          .parameters = {t},
          .returns = same_shape,
          .example = "trim(\"  buoy \")",
          .output = "trim(\"  buoy \") = \"buoy\"",
          .run =
              [](Call& c) {
                return each_text<std::string>(texts(c, 0),
                                              [](const std::string& s) { return std::string(trim(s)); });
              },
      },
      {
          .name = "split_text",
          .family = "text",
          .summary = "A text taken apart at a separator, or at spaces.",
          .parameters = {{"t", "a text", ""},
                         {"by", "the separator; none: any run of spaces, tabs and line ends", "none"}},
          .returns = "a vector of texts",
          .errors = "an empty separator",
          .example = "split_text(\"12;7;;3\", \";\")",
          .output = "split_text(\"12;7;;3\", \";\") : text 4\n  \"12\"  \"7\"   \"\"    \"3\"",
          .run = split_row,
      },
      {
          .name = "join_text",
          .family = "text",
          .summary = "Texts put together to one.",
          .parameters = {{"texts", "a vector of texts", ""}, {"by", "what stands between them", "\"\""}},
          .returns = "a text",
          .example = "join_text([\"a\", \"b\", \"c\"], \" + \")",
          .output = "join_text([\"a\", \"b\", \"c\"], \" + \") = \"a + b + c\"",
          .run = join_row,
      },
      {
          .name = "replace_text",
          .family = "text",
          .summary = "A text with every occurrence of a part replaced.",
          .parameters = {t, {"old", "the part", ""}, {"by", "what stands there instead", ""}},
          .returns = same_shape,
          .errors = "an empty part",
          .example = "replace_text(\"3,5 and 4,25\", \",\", \".\")",
          .output = "replace_text(\"3,5 and 4,25\", \",\", \".\") = \"3.5 and 4.25\"",
          .run = replace_row,
      },
      {
          .name = "contains",
          .family = "text",
          .summary = "Whether a text has a part.",
          .parameters = {t, {"part", "the part", ""}},
          .returns = "a truth value, or an array of the shape of t",
          .example = "contains([\"buoy 1\", \"inlet\"], \"buoy\")",
          .output = "contains([\"buoy 1\", \"inlet\"], \"buoy\") : bool 2\n   true  false",
          .run = contains_row,
      },
      {
          .name = "starts_with",
          .family = "text",
          .summary = "Whether a text begins with a part.",
          .parameters = {t, {"part", "the part", ""}},
          .returns = "a truth value, or an array of the shape of t",
          .example = "starts_with(\"buoy 1\", \"bu\")",
          .output = "starts_with(\"buoy 1\", \"bu\") = true",
          .run = starts_with_row,
      },
      {
          .name = "timestamp",
          .family = "text",
          .summary = "A date, with a time of day or without, as a number that can be calculated with.",
          .parameters = {{"t",
                          "a text such as \"2026-06-01\", \"2026-06-01T12:30\" or \"2026-06-01 "
                          "12:30:05+02:00\", or an array "
                          "of them",
                          ""}},
          .returns =
              "seconds since 1970-01-01 (UTC where no zone is given); a vector of them makes axes of time",
          .errors = "what is no date",
          .source = "ISO 8601; the proleptic Gregorian calendar, without leap seconds",
          .example = "(timestamp(\"2026-06-08\") - timestamp(\"2026-06-01\")) / 86400",
          .output = "(timestamp(\"2026-06-08\") - timestamp(\"2026-06-01\")) / 86400 = 7",
          .run = timestamp_row,
      },
      {
          .name = "timestamp_text",
          .family = "text",
          .summary = "A number of seconds since 1970-01-01 as a date, with the time of day where there is "
                     "one (UTC).",
          .parameters = {{"t", "seconds, a number or an array", ""}},
          .returns = "a text, or an array of the shape of t",
          .source = "ISO 8601",
          .example = "timestamp_text(timestamp(\"2026-06-01\") + 90 * 60)",
          .output = "timestamp_text(timestamp(\"2026-06-01\") + 90 * 60) = \"2026-06-01T01:30\"",
          .run = timestamp_text_row,
      },
  };
}

}  // namespace quill
