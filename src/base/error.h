// The exception type for mistakes of users, and the source locations it refers to.
#pragma once

#include <cstdint>
#include <exception>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace quill {

// A half-open range of bytes in a source text.
struct Span {
  std::uint32_t begin = 0;
  std::uint32_t end = 0;
  bool empty() const { return begin >= end; }
};

// A source text with the name under which it is reported. Lines and columns count from 1; columns count
// characters.
class Source {
 public:
  Source(std::string name, std::string text);

  struct Position {
    int line = 1;
    int column = 1;
  };
  Position position(std::uint32_t offset) const;
  // The text of a line without its line end.
  std::string_view line(int number) const;
  std::string_view text(Span span) const;

  const std::string& name() const { return name_; }
  const std::string& text() const { return text_; }

 private:
  std::string name_;
  std::string text_;
  std::vector<std::uint32_t> line_starts_;
};
using SourcePtr = std::shared_ptr<const Source>;

struct Location {
  SourcePtr source;
  Span span;
};

// A mistake of the user: what was wrong, further facts, and a hint with code that works.
class Error : public std::exception {
 public:
  // interrupted: stopped by the user. hindered: stopped by the environment, such as permissions, a full disk
  // or memory.
  enum class Kind : std::uint8_t { mistake, interrupted, hindered };
  struct Call {
    std::string function;
    Location location;
    std::string
        caller{};  // the built-in that called the function, and for which element; "" for program text
  };

  explicit Error(std::string message, std::string hint = {})
      : message(std::move(message)), hint(std::move(hint)) {}
  const char* what() const noexcept override { return message.c_str(); }

  std::string message;
  std::string hint;
  std::vector<std::string> notes;  // lines printed under the marked source line
  Location location;               // empty until it is added by a caller that knows it
  std::vector<Call> calls;         // innermost first
  Kind kind = Kind::mistake;
  // Records that the outermost function so far was called by a built-in at this location.
  void name_caller(const std::string& caller, const Location& at);
  bool is_of_data =
      false;  // caused by nan or an infinite number in an argument; the caller may name the argument
};

[[noreturn]] void fail(std::string message, std::string hint = {});
// The same with the kind Error::Kind::hindered.
[[noreturn]] void fail_hindered(std::string message, std::string hint = {});
[[noreturn]] void fail_at(const SourcePtr& source, Span span, std::string message, std::string hint = {});

// Text of the error: message, location, marked line, notes, calls and hint. `kind` is the first word, "error"
// or "warning".
std::string describe(const Error& error, std::string_view kind = "error");

}  // namespace quill
