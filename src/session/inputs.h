// Values that come from outside: inputs set on the command line, and answers.
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

// The input that stands for the time of the run.
inline constexpr const char* kNow = "now";

// The inputs that a text and the files that it uses have.
struct InputNames {
  std::set<std::string> names;
  bool all_seen = true;         // none of them gets its name while the text runs
  std::set<std::string> files;  // that were looked at
};
void add_inputs(const Node& text, InputNames& into, const std::function<Tree(const std::string&)>& parsed);

// A value as it would be written in a script, where it can be.
std::string literal_of(const Value& value);

class Inputs {
 public:
  // `set`: names and literals of the language.
  Inputs(Host& host, Output& output, Machine& machine, std::vector<std::pair<std::string, std::string>> set)
      : host_(host), output_(output), machine_(machine), set_(std::move(set)) {}

  struct Found {
    Value value;
    std::string literal;  // of the language
    std::string from;     // "set", "answer", "default"
  };
  // The value set from outside, checked against the kind of the default; or that.
  Found find(const std::string& name, const Value& fallback);
  // Set from outside, typed at the terminal, or the default.
  Found ask(const std::string& name, const Value* fallback);
  // What the next questions get, in their order, in place of asking somebody.
  void answer_beforehand(const std::vector<std::string>& literals) {
    answers_.assign(literals.begin(), literals.end());
  }
  // Names that were set and that nobody asked for.
  std::vector<std::string> unused() const;

 private:
  // The value of a literal, without names, files or calls. Error that calls it `name`.
  std::optional<Found> find_set(const std::string& name, const Value& fallback);
  Value read_literal(const std::string& name, const std::string& text);
  Host& host_;
  Output& output_;
  Machine& machine_;
  std::vector<std::pair<std::string, std::string>> set_;
  std::set<std::string> used_;
  std::deque<std::string> answers_;
};

}  // namespace quill
