// Values from outside the script: inputs set on the command line, and answers typed at the terminal.
#pragma once

#include <deque>
#include <functional>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/host.h"
#include "engine/machine.h"
#include "value/event.h"

namespace quill {

// Name of the input that sets the time of the run.
inline constexpr const char* kNow = "now";

// The names of inputs in a text and the files that it uses.
struct InputNames {
  std::set<std::string> names;
  bool all_seen = true;         // false if some names are computed while the text runs
  std::set<std::string> files;  // files that were searched
};
void add_inputs(const Node& text, InputNames& into, const std::function<Tree(const std::string&)>& parsed);

// The value as a literal of the language, if it has one.
std::string literal_of(const Value& value);

class Inputs {
 public:
  // `set`: pairs of a name and a literal of the language.
  Inputs(Host& host, Output& output, Machine& machine, std::vector<std::pair<std::string, std::string>> set)
      : host_(host), output_(output), machine_(machine), set_(std::move(set)) {}

  struct Found {
    Value value;
    std::string literal;                 // of the language
    std::string from;                    // "set", "answer", "default"
    std::optional<std::string> typed{};  // the answer of a person; "" for the default
    std::vector<Error> warnings{};
  };
  // The value set from outside, checked against the kind of the default; the default if none is set.
  Found find(const std::string& name, const Value& fallback);
  // The value set from outside or typed at the terminal, else the default.
  Found ask(const std::string& name, const Value* fallback);
  // Literals that answer the next questions, in order, instead of a person.
  void answer_beforehand(const std::vector<std::string>& literals) {
    answers_.assign(literals.begin(), literals.end());
  }
  // Names that were set but never used.
  std::vector<std::string> unused() const;

 private:
  // Value of a literal that contains no names, files or calls. Errors name the input `name`.
  std::optional<Found> find_set(const std::string& name, const Value& fallback);
  Found read_literal(const std::string& name, const std::string& text);
  Host& host_;
  Output& output_;
  Machine& machine_;
  std::vector<std::pair<std::string, std::string>> set_;
  std::set<std::string> used_;
  std::deque<std::string> answers_;
};

}  // namespace quill
