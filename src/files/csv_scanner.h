// Scanner for the fields of delimited text.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <string>

#include "base/error.h"
#include "base/text.h"

namespace quill {

struct Field {
  std::string_view text;   // without surrounding spaces; for a quoted field, the text between the quotes
  std::string_view whole;  // for an unquoted field, everything between the delimiters
  bool quoted = false;
  bool doubled = false;  // contains doubled quotes
  bool spaced = false;   // has a space before the quote
};

inline std::string unquoted(const Field& f) {
  if (!f.quoted) return std::string(f.text);
  std::string out;
  for (std::size_t k = 0; k < f.text.size(); ++k) {
    out += f.text[k];
    if (f.doubled && f.text[k] == '"') ++k;
  }
  return out;
}

inline bool is_end(char c) { return c == '\n' || c == '\r'; }

// Scans the fields of a text, starting at the begin of a line.
class Scanner {
 public:
  // `spaced`: a space after a delimiter belongs to it.
  Scanner(std::string_view text, std::string_view piece, char delimiter, bool spaced, const std::string& name)
      : text_(text),
        at_(piece.data()),
        end_(piece.data() + piece.size()),
        line_begin_(piece.data()),
        delimiter_(delimiter),
        spaced_(spaced),
        name_(name) {}

  // Skips blank lines and comments; false at the end.
  bool next_row() {
    while (at_ < end_) {
      const char* p = at_;
      while (p < end_ && (*p == ' ' || (*p == '\t' && delimiter_ != '\t'))) ++p;
      if (p < end_ && *p != '#' && !is_end(*p)) {
        row_begin_ = at_;
        return true;
      }
      if (p < end_ && *p == '#') p = end_of_line(p);
      at_ = p;
      end_line();
    }
    return false;
  }
  Field field() {
    const char* first = at_;
    while (at_ < end_ && *at_ == ' ') ++at_;
    begin_ = at_;
    if (at_ < end_ && *at_ == '"') {
      auto f = quoted();
      f.spaced = begin_ != first;
      return f;
    }
    const char* p = at_;
    while (p < end_ && *p != delimiter_ && !is_end(*p)) ++p;
    at_ = p;
    return {trim(std::string_view(begin_, static_cast<std::size_t>(p - begin_))),
            std::string_view(first, static_cast<std::size_t>(p - first))};
  }
  // After a field: whether another one follows; otherwise ends the line.
  bool more() {
    if (at_ < end_ && *at_ == delimiter_) {
      ++at_;
      if (spaced_ && at_ < end_ && *at_ == ' ') ++at_;
      return true;
    }
    if (at_ < end_ && !is_end(*at_))
      fail_at(at_, "a closing quote must be followed by a delimiter or the end of the line");
    end_line();
    return false;
  }
  // Fast path for a number in common notation; false, with nothing consumed, for anything else. Integers of
  // up to 18 digits have `exponent` 0.
  bool number(std::int64_t& digits, int& exponent, bool& negative) {
    while (at_ < end_ && *at_ == ' ') ++at_;
    const char* p = at_;
    negative = p < end_ && *p == '-';
    if (negative) ++p;
    std::uint64_t value = 0;
    const char* first = p;
    while (p < end_ && static_cast<unsigned char>(*p - '0') < 10)
      value = value * 10 + static_cast<unsigned>(*p++ - '0');
    auto count = p - first;
    exponent = 0;
    if (count == 0) return false;
    if (p < end_ && *p == '.') {
      const char* point = ++p;
      while (p < end_ && static_cast<unsigned char>(*p - '0') < 10)
        value = value * 10 + static_cast<unsigned>(*p++ - '0');
      exponent = static_cast<int>(point - p);
      count += p - point;
      if (exponent == 0) return false;  // 5.
    }
    constexpr std::ptrdiff_t most = 18;
    if (count > most || (p < end_ && *p != delimiter_ && !is_end(*p))) return false;
    digits = static_cast<std::int64_t>(value);
    begin_ = at_;
    at_ = p;
    return true;
  }
  // Skips to the next line without scanning fields.
  void pass_line() {
    const auto* end = static_cast<const char*>(std::memchr(at_, '\n', static_cast<std::size_t>(end_ - at_)));
    at_ = end == nullptr ? end_ : end;
    end_line();
  }
  const char* line_start() const { return line_begin_; }
  const char* row_start() const { return row_begin_; }
  const char* field_start() const { return begin_; }
  std::string_view field_text() const { return {begin_, static_cast<std::size_t>(at_ - begin_)}; }

  [[noreturn]] void fail_at(const char* place, const std::string& message, std::string hint = {}) const {
    const auto before = text_.substr(0, static_cast<std::size_t>(place - text_.data()));
    const auto line = 1 + std::count(before.begin(), before.end(), '\n');
    const auto start = before.rfind('\n');
    const auto column = count_characters(before.substr(start == before.npos ? 0 : start + 1)) + 1;
    fail(fmt::format("{}, line {}, column {}: {}", name_, line, column, message), std::move(hint));
  }

 private:
  const char* end_of_line(const char* p) const {
    while (p < end_ && !is_end(*p)) ++p;
    return p;
  }
  void end_line() {
    if (at_ < end_ && *at_ == '\r') ++at_;
    if (at_ < end_ && *at_ == '\n') ++at_;
    line_begin_ = at_;
  }
  Field quoted() {
    const char* first = ++at_;
    Field f;
    f.quoted = true;
    while (true) {
      const auto* close =
          static_cast<const char*>(std::memchr(at_, '"', static_cast<std::size_t>(end_ - at_)));
      if (close == nullptr) fail_at(begin_, "unclosed quote");
      at_ = close + 1;
      if (at_ >= end_ || *at_ != '"') break;
      f.doubled = true;
      ++at_;
    }
    f.text = {first, static_cast<std::size_t>(at_ - 1 - first)};
    while (at_ < end_ && *at_ == ' ') ++at_;
    return f;
  }

  std::string_view text_;
  const char* at_;
  const char* end_;
  const char* line_begin_;
  const char* begin_ = nullptr;
  const char* row_begin_ = nullptr;
  char delimiter_;
  bool spaced_;
  const std::string& name_;
};

}  // namespace quill
