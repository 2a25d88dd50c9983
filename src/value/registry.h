// The shape of a row of the registry of built-ins, and what a built-in sees of its call.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "array/elementwise.h"
#include "array/reduce.h"
#include "language/tree.h"
#include "value/runtime.h"
#include "value/value.h"

namespace quill {

class Call;
// What built-ins share; it is theirs, and only passed on to them.
class Context;

struct Parameter {
  std::string_view name;
  std::string_view about;     // kind, shape and unit in a few words
  std::string_view fallback;  // the default as written; "" when the argument is required
  bool many = false;          // takes all further arguments by position; parameters after it go by name only
  bool free_names = false;    // takes all arguments whose names are no parameter's, as a record
  std::span<const std::string_view> choices{};        // allowed texts; the first is the default
  bool (*takes)(std::string_view text) = nullptr;     // whether a text is accepted
  std::optional<std::pair<int, int>> whole_within{};  // accepted range of integers
  int passes = -1;           // number of arguments a callback given here is always called with
  std::string_view group{};  // heading in help under which an uncommon option is listed; "" for common ones
};
inline constexpr std::string_view kAdvanced = "Advanced options";
inline Parameter grouped(std::string_view group, Parameter parameter) {
  parameter.group = group;
  return parameter;
}
inline Parameter advanced(Parameter parameter) { return grouped(kAdvanced, std::move(parameter)); }
inline Parameter one_of(Parameter parameter, std::span<const std::string_view> choices) {
  parameter.choices = choices;
  return parameter;
}
// Message for a text that is not among the choices, to follow the parameter's name; sets `near` to the hint.
std::string not_among(const Parameter& parameter, std::string_view value, std::string* near);
inline Parameter within(int low, int high, Parameter parameter) {
  parameter.whole_within = {low, high};
  return parameter;
}
inline Parameter called_with(int count, Parameter parameter) {
  parameter.passes = count;
  return parameter;
}
inline Parameter named(Parameter parameter, bool (*takes)(std::string_view)) {
  parameter.takes = takes;
  return parameter;
}

// One built-in: everything that help, completion, the checker and the reference say of it.
struct Builtin {
  std::string_view name{};
  std::string_view family{};
  std::string_view summary{};  // one sentence
  std::vector<Parameter> parameters{};
  std::string_view returns{};
  std::string_view errors{};
  std::string_view source{};   // of the method
  std::string_view example{};  // runs on its own
  std::string_view output{};   // what it prints
  Value (*run)(Call&) = nullptr;
  // The same for calls without arguments, of a random number.
  double (*draw)(Context&) = nullptr;
  // The same for calls with two numbers, of a random integer between them; nothing if they do not fit.
  std::optional<std::int64_t> (*draw_whole)(Context&, double low, double high) = nullptr;
  std::optional<Unary> unary{};          // an elementwise function of one argument
  std::optional<Binary> binary{};        // an elementwise function of two arguments
  std::optional<Reduction> reduction{};  // of all elements, when its one argument is an array
  bool divides_by_count = false;         // … and then by their count
  std::optional<double> constant{};
  bool as_they_are = false;         // sees aliases and estimates among its arguments, not their plain values
  bool maps_texts = false;          // gives of an array of texts what it gives of each of them
  bool changes_first = false;       // returns its first argument changed: `a = f(a, …)` works in place
  std::string_view words{};         // synonyms that lead to this built-in alone, separated by spaces
  std::string_view search_words{};  // further synonyms for search
  std::string_view see_also{};      // names of related built-ins, separated by spaces

  // The parameter that takes all further arguments, or the count of parameters.
  std::size_t many_at() const;
  bool has_free_names() const { return !parameters.empty() && parameters.back().free_names; }
};

// Message about an argument, with function and parameter: "integrate: `limit` must be …".
std::string argument_message(const Builtin& row, const Parameter& parameter, const std::string& message);

// The rows in order, found by name. Made once.
class Registry {
 public:
  explicit Registry(std::vector<Builtin> rows);
  int find(std::string_view name) const;  // -1 when there is none
  // The built-in that a word of the trade leads to, "" when there is none.
  std::string_view named_by(std::string_view word) const;
  const Builtin& row(int index) const { return rows_[static_cast<std::size_t>(index)]; }
  const std::vector<Builtin>& rows() const { return rows_; }

 private:
  std::vector<Builtin> rows_;
  std::vector<std::pair<std::string_view, int>> sorted_;
};

// A call as it is written.
struct CallForm {
  std::vector<std::string> names;  // of the arguments, "" for those by position
  std::vector<bool> literal;       // which arguments are numbers written in the text
  int row = -1;                    // of the built-in that is called, or that the name falls back on
  bool is_bound = false;           // that built-in is called, with its arguments at these places
  std::vector<int> places;
  bool some_by_name() const;
};

// The call of a built-in: its arguments in the order of its parameters, absent ones unset.
class Call {
 public:
  Call(Runtime& runtime, Context& context, const Builtin& row, std::span<Value> arguments,
       std::span<Value> many, const CallForm* form, const Node* node)
      : runtime(runtime),
        context(context),
        row(row),
        arguments_(arguments),
        many_(many),
        form_(form),
        node_(node) {}

  // The same call with other arguments.
  Call with(std::span<Value> arguments) const {
    return {runtime, context, row, arguments, many_, form_, node_};
  }

  Runtime& runtime;
  Context& context;
  const Builtin& row;

  bool given(std::size_t i) const { return !arguments_[i].is(Kind::unset); }
  // Whether argument i is given by position.
  bool by_position(std::size_t i) const;
  const Value& value(std::size_t i) const { return arguments_[i]; }
  std::span<Value> many() const { return many_; }

  // The argument as …; an Error that names it when it is something else.
  double number(std::size_t i) const;
  double number_or(std::size_t i, double fallback) const { return given(i) ? number(i) : fallback; }
  Index whole(std::size_t i) const;
  bool truth_or(std::size_t i, bool fallback) const;
  std::string text(std::size_t i) const;
  std::string text_or(std::size_t i, std::string_view fallback) const {
    return given(i) ? text(i) : std::string(fallback);
  }
  // One of the choices of parameter i; the Error lists them and the nearest.
  std::string one_of(std::size_t i) const;
  Array array(std::size_t i) const;     // any element type
  LabelPtr label(std::size_t i) const;  // name and unit of an array that has them, or nothing
  Array numbers(std::size_t i) const;   // numeric
  Array ordered(std::size_t i) const;   // numeric but not complex
  Array reals(std::size_t i) const;     // float64
  Array vector(std::size_t i) const;    // float64 with one axis
  const Value& callable(std::size_t i) const;

  // The argument as an array that may be changed and returned: without a copy if it is not shared.
  // What throws must leave it as it was.
  Value& changeable_array(std::size_t i);
  // Argument i, which the built-in may modify; it must be unchanged when an Error is thrown.
  Value& changeable(std::size_t i) { return arguments_[i]; }
  // The argument for an elementwise operation: not complex, known to be a literal when written as one.
  Operand operand(std::size_t i, Array& hold) const;

  // Marks argument i as the place of an error, when it is written in the text.
  void point_at(std::size_t i, Error& error) const;
  [[noreturn]] void fail_argument(std::size_t i, const std::string& message, std::string hint = {}) const;
  // A warning at this call.
  void warn(std::string message, std::string hint = {}) const;
  const Node* node() const { return node_; }

 private:
  // Which argument of the written call it is; -1 when it is none, or when the call is not in the text.
  int written(std::size_t i) const;

  std::span<Value> arguments_;
  std::span<Value> many_;
  const CallForm* form_;
  const Node* node_;
};

}  // namespace quill
