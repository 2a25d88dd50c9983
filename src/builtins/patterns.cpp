// Regular expressions in texts.
#include <fmt/format.h>
#include <re2/re2.h>

#include "base/text.h"
#include "builtins/each_text.h"
#include "builtins/tables.h"
#include "value/construct.h"

namespace quill {

namespace patterns_calls {
namespace {

// The pattern that argument i gives.
const RE2& pattern_of(const Call& call, std::size_t i, std::optional<RE2>& hold) {
  RE2::Options options;
  options.set_log_errors(false);
  hold.emplace(call.text(i), options);
  if (!hold->ok())
    call.fail_argument(i, fmt::format("must be a regular expression: {}", hold->error()),
                       "a raw text between backticks needs no escapes: `\\d+`");
  return *hold;
}

// The groups of the first match from `at` on, the whole match first; nothing without one.
std::vector<re2::StringPiece> match_from(const RE2& pattern, const std::string& t, std::size_t at) {
  std::vector<re2::StringPiece> groups(static_cast<std::size_t>(pattern.NumberOfCapturingGroups()) + 1);
  if (!pattern.Match(t, at, t.size(), RE2::UNANCHORED, groups.data(), static_cast<int>(groups.size())))
    groups.clear();
  return groups;
}

Value matches_row(Call& call) {
  std::optional<RE2> hold;
  const auto& pattern = pattern_of(call, 1, hold);
  const bool whole = call.boolean_or(2, false);
  return each_text<bool>(texts(call, 0), [&](const std::string& t) {
    return whole ? RE2::FullMatch(t, pattern) : RE2::PartialMatch(t, pattern);
  });
}

Value extract_row(Call& call) {
  std::optional<RE2> hold;
  const auto& pattern = pattern_of(call, 1, hold);
  return each_text<std::string>(texts(call, 0), [&](const std::string& t) {
    const auto groups = match_from(pattern, t, 0);
    return groups.empty() ? std::string() : std::string(groups.size() > 1 ? groups[1] : groups[0]);
  });
}

Value extract_all_row(Call& call) {
  std::optional<RE2> hold;
  const auto& pattern = pattern_of(call, 1, hold);
  const auto t = call.text(0);
  const auto groups = pattern.NumberOfCapturingGroups();
  std::vector<std::string> found;
  Index count = 0;
  for (std::size_t at = 0; at <= t.size();) {
    const auto match = match_from(pattern, t, at);
    if (match.empty()) break;
    for (std::size_t k = groups > 0 ? 1 : 0; k < match.size(); ++k) found.emplace_back(match[k]);
    ++count;
    const auto begin = static_cast<std::size_t>(match[0].data() - t.data());
    at = begin + match[0].size();
    // An empty match is passed by, one character on.
    if (match[0].empty()) at += at < t.size() ? static_cast<std::size_t>(decode(t, at).length) : 1;
  }
  const auto out = Array::vector(found);
  return Value::array(groups > 1 ? out.with_shape({count, groups}) : out);
}

Value replace_pattern_row(Call& call) {
  std::optional<RE2> hold;
  const auto& pattern = pattern_of(call, 1, hold);
  const auto by = call.text(2);
  std::string why;
  const int groups = pattern.NumberOfCapturingGroups();
  if (RE2::MaxSubmatch(by) > groups)
    call.fail_argument(
        2, fmt::format("refers to group {}, but the pattern has {}", RE2::MaxSubmatch(by), groups));
  if (!pattern.CheckRewriteString(by, &why))
    call.fail_argument(2, "must be a text in which \\1 refers to the first group and \\\\ is a backslash");
  return each_text<std::string>(texts(call, 0), [&](const std::string& t) {
    auto out = t;
    RE2::GlobalReplace(&out, pattern, by);
    return out;
  });
}

}  // namespace
}  // namespace patterns_calls

std::vector<Builtin> pattern_rows() {
  using namespace patterns_calls;
  const Parameter t = {"t", "a text, or an array of texts", ""};
  const Parameter pattern = {"pattern", "a regular expression", ""};
  constexpr std::string_view same_shape = "a text, or an array of the shape of t";
  constexpr std::string_view source = "regular expressions of the RE2 library, with linear running time";
  return {
      {
          .name = "matches",
          .family = "text",
          .summary = "Test whether a regular expression matches a text or a part of it.",
          .parameters = {t, pattern, {"whole", "whether the whole text must match", "false"}},
          .returns = "a boolean, or an array of the shape of t",
          .errors = "if the pattern is not a regular expression",
          .source = source,
          .example = "matches([\"cast 07\", \"buoy\"], `\\d+`)",
          .output = "matches([\"cast 07\", \"buoy\"], `\\d+`) : bool 2\n   true  false",
          .run = matches_row,
          .maps_texts = true,
      },
      {
          .name = "extract",
          .family = "text",
          .summary = "Extract the first match of a regular expression, or its first group.",
          .parameters = {t, pattern},
          .returns = "a text, or an array of the shape of t; empty if there is no match",
          .errors = "if the pattern is not a regular expression",
          .source = source,
          .example = "extract([\"cast 07: 38 m\", \"cast 08: 4 m\"], `(\\d+) m`)",
          .output = "extract([\"cast 07: 38 m\", \"cast 08: 4 m\"], `(\\d+) m`) : text 2\n  \"38\"  \"4\"",
          .run = extract_row,
          .maps_texts = true,
      },
      {
          .name = "extract_all",
          .family = "text",
          .summary = "Extract all matches of a regular expression from a text.",
          .parameters = {{"t", "a text", ""}, pattern},
          .returns = "a vector of texts; with several groups, a matrix with one row for each match",
          .errors = "if the pattern is not a regular expression",
          .source = source,
          .example = "number(extract_all(\"3.5 m, 4 m, 12 m\", `[\\d.]+`))",
          .output = "number(extract_all(\"3.5 m, 4 m, 12 m\", `[\\d.]+`)) : float64 3\n   3.5   4.0  12.0",
          .run = extract_all_row,
      },
      {
          .name = "replace_pattern",
          .family = "text",
          .summary = "Replace all matches of a regular expression in a text.",
          .parameters = {t, pattern, {"by", "replacement; `\\1` is the first group", ""}},
          .returns = same_shape,
          .errors = "if the pattern is not a regular expression; if it does not have the group",
          .source = source,
          .example = "replace_pattern(\"12.06.2026\", `(\\d+)\\.(\\d+)\\.(\\d+)`, `\\3-\\2-\\1`)",
          .output =
              "replace_pattern(\"12.06.2026\", `(\\d+)\\.(\\d+)\\.(\\d+)`, `\\3-\\2-\\1`) = \"2026-06-12\"",
          .run = replace_pattern_row,
          .maps_texts = true,
      },
  };
}

}  // namespace quill
