#include "base/error.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"

namespace quill {

Source::Source(std::string name, std::string text) : name_(std::move(name)), text_(std::move(text)) {
  line_starts_.push_back(0);
  for (std::uint32_t i = 0; i < text_.size(); ++i)
    if (text_[i] == '\n') line_starts_.push_back(i + 1);
}

Source::Position Source::position(std::uint32_t offset) const {
  offset = std::min<std::uint32_t>(offset, static_cast<std::uint32_t>(text_.size()));
  const auto after = std::upper_bound(line_starts_.begin(), line_starts_.end(), offset);
  const auto start = *(after - 1);
  const auto before = std::string_view(text_).substr(start, offset - start);
  return {static_cast<int>(after - line_starts_.begin()), static_cast<int>(count_characters(before)) + 1};
}

std::string_view Source::line(int number) const {
  if (number < 1 || number > static_cast<int>(line_starts_.size())) return {};
  const auto start = line_starts_[number - 1];
  auto end = text_.find('\n', start);
  if (end == std::string::npos) end = text_.size();
  if (end > start && text_[end - 1] == '\r') --end;
  return std::string_view(text_).substr(start, end - start);
}

std::string_view Source::text(Span span) const {
  const auto end = std::min<std::size_t>(span.end, text_.size());
  if (span.begin >= end) return {};
  return std::string_view(text_).substr(span.begin, end - span.begin);
}

void Error::name_caller(const std::string& caller, const Location& at) {
  if (calls.empty() || calls.back().location.source || !at.source) return;
  calls.back().caller = caller;
  calls.back().location = at;
}

void fail(std::string message, std::string hint) { throw Error(std::move(message), std::move(hint)); }

void fail_hindered(std::string message, std::string hint) {
  Error error(std::move(message), std::move(hint));
  error.kind = Error::Kind::hindered;
  throw error;
}

void fail_at(const SourcePtr& source, Span span, std::string message, std::string hint) {
  Error error(std::move(message), std::move(hint));
  error.location = {source, span};
  throw error;
}

namespace {

constexpr std::size_t kLongestShownLine = 100;

std::string location_name(const Location& location) {
  const auto at = location.source->position(location.span.begin);
  return fmt::format("{}, line {}, column {}", printable(location.source->name()), at.line, at.column);
}

// The source line and under it a rule of overlines beneath the failing part.
std::string marked_line(const Location& location) {
  const auto& source = *location.source;
  const auto at = source.position(location.span.begin);
  const auto line = source.line(at.line);
  const auto line_begin = static_cast<std::uint32_t>(line.data() - source.text().data());
  const auto from =
      std::min<std::size_t>(location.span.begin - std::min(location.span.begin, line_begin), line.size());
  const auto to =
      std::clamp<std::size_t>(location.span.end - std::min(location.span.end, line_begin), from, line.size());
  auto shown_from = std::min<std::size_t>(line.find_first_not_of(" \t"), from);
  if (from - shown_from > kLongestShownLine)
    shown_from = start_of_character(line, from - kLongestShownLine / 2);
  auto shown_to = line.size();
  if (shown_to - shown_from > 2 * kLongestShownLine)
    shown_to = start_of_character(
        line, std::min(line.size(), std::max(std::min(to, shown_from + 2 * kLongestShownLine), from) +
                                        kLongestShownLine / 2));
  std::string shown, rule;
  for (const char c : line.substr(shown_from, shown_to - shown_from)) shown += c == '\t' ? ' ' : c;
  rule.append(display_width(line.substr(shown_from, from - shown_from)), ' ');
  const auto marked_to = std::min(to, shown_to);
  const auto width =
      std::max<std::size_t>(1, marked_to > from ? display_width(line.substr(from, marked_to - from)) : 1);
  for (std::size_t i = 0; i < width; ++i) rule += "‾";
  return fmt::format("      {}\n      {}\n", printable(shown), rule);
}

// Indents the lines after the first, so that a text from a file cannot look like a message of the program.
std::string indented(std::string_view text) {
  std::string out;
  for (const char c : text) {
    out += c;
    if (c == '\n') out += "    ";
  }
  return out;
}

}  // namespace

std::string describe(const Error& error, std::string_view kind) {
  std::string out = fmt::format("{}: {}\n", kind, indented(error.message));
  if (error.location.source) {
    out += fmt::format("  {}\n", location_name(error.location));
    out += marked_line(error.location);
  }
  for (const auto& note : error.notes) out += fmt::format("      {}\n", printable(note));
  constexpr std::size_t most_calls = 8;
  for (std::size_t i = 0; i < error.calls.size(); ++i) {
    if (i == most_calls && error.calls.size() > most_calls + 1) {
      out += fmt::format("  … and {} more calls\n", error.calls.size() - i);
      break;
    }
    const auto& call = error.calls[i];
    const auto where = call.location.source ? location_name(call.location) : std::string("a built-in");
    out += call.caller.empty()
               ? fmt::format("  in {}, called from {}\n", call.function, where)
               : fmt::format("  in {}, called by {} in {}\n", call.function, call.caller, where);
  }
  if (!error.hint.empty()) out += fmt::format("  hint: {}\n", indented(error.hint));
  return out;
}

}  // namespace quill
