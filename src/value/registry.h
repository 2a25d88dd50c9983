// Rows of the registry of built-ins, and the view that a built-in has of its call.
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
// State shared by built-ins; opaque to other layers.
class Context;

struct Parameter {
  std::string_view name;
  std::string_view about;     // kind, shape and unit in a few words
  std::string_view fallback;  // the default as written; "" when the argument is required
  bool many = false;          // takes all further positional arguments; later parameters are named
  bool free_names = false;    // takes all arguments with other names, as a record
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
// Message for a text that is not among the choices, to be appended to the parameter's name; sets `near` to
// the hint.
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

// One built-in. Help, completion, the checker and the reference are made from these fields.
// Fast path of a row for single numbers and short vectors, as native code has them in registers.
struct OfNumbers {
  // The elements of each argument: 1 for a number, 0 for a vector of any length.
  std::vector<int> sizes{};
  int result = 1;  // elements of the result; 0: it is a boolean
  // `given` contains the numbers of all arguments. False where the row has to run, for example to warn.
  bool (*run)(std::span<const double> given, double* result) = nullptr;
};

struct Builtin {
  std::string_view name{};
  std::string_view family{};
  std::string_view summary{};  // one sentence
  std::vector<Parameter> parameters{};
  std::string_view returns{};
  std::string_view errors{};
  std::string_view source{};   // reference for the method
  std::string_view example{};  // a complete program
  std::string_view output{};   // output of the example
  Value (*run)(Call&) = nullptr;
  // Fast path for calls without arguments that return a random number.
  double (*draw)(Context&) = nullptr;
  // Fast path for calls with two numbers that return a random integer between them; nothing if they do not
  // fit.
  std::optional<std::int64_t> (*draw_whole)(Context&, double low, double high) = nullptr;
  std::optional<Unary> unary{};              // an elementwise function of one argument
  std::optional<Binary> binary{};            // an elementwise function of two arguments
  std::optional<Reduction> reduction{};      // reduction over all elements, for a single array argument
  bool divides_by_count = false;             // … divided by the number of elements
  std::optional<ElementType> converts_to{};  // a conversion to this element type
  std::optional<OfNumbers> of_numbers{};
  std::optional<double> constant{};
  bool as_they_are = false;         // receives aliases and estimates as they are, instead of plain values
  bool maps_texts = false;          // applied to each element of an array of texts
  bool changes_first = false;       // returns its modified first argument: `a = f(a, …)` works in place
  std::string_view words{};         // synonyms that lead to this built-in alone, separated by spaces
  std::string_view search_words{};  // further synonyms for search
  std::string_view see_also{};      // names of related built-ins, separated by spaces

  // Index of the parameter that takes all further arguments, or the number of parameters.
  std::size_t many_at() const;
  bool has_free_names() const { return !parameters.empty() && parameters.back().free_names; }
};

// Error message about an argument, with function and parameter: "integrate: `limit` must be …".
std::string argument_message(const Builtin& row, const Parameter& parameter, const std::string& message);

// All rows in order, with lookup by name. Built once.
class Registry {
 public:
  explicit Registry(std::vector<Builtin> rows);
  int find(std::string_view name) const;  // -1 if there is none
  // The built-in that a term of the field leads to; "" if there is none.
  std::string_view named_by(std::string_view word) const;
  const Builtin& row(int index) const { return rows_[static_cast<std::size_t>(index)]; }
  const std::vector<Builtin>& rows() const { return rows_; }

 private:
  std::vector<Builtin> rows_;
  std::vector<std::pair<std::string_view, int>> sorted_;
};

// The written form of a call.
struct CallForm {
  std::vector<std::string> names;  // "" for positional arguments
  std::vector<bool> literal;       // which arguments are number literals
  int row = -1;                    // built-in that is called, or that is used if the name has no value
  bool is_bound = false;           // arguments are already in the order of that built-in's parameters
  std::vector<int> parameters;
  bool some_by_name() const;
};

// A call of a built-in: arguments in the order of its parameters, absent ones unset.
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
  Call with(std::span<Value> arguments) const { return with(arguments, runtime); }
  // The same in another runtime.
  Call with(std::span<Value> arguments, Runtime& other) const {
    return {other, context, row, arguments, many_, form_, node_};
  }

  Runtime& runtime;
  Context& context;
  const Builtin& row;

  bool given(std::size_t i) const { return !arguments_[i].is(Kind::unset); }
  // Whether argument i is positional.
  bool by_position(std::size_t i) const;
  const Value& value(std::size_t i) const { return arguments_[i]; }
  std::span<Value> many() const { return many_; }

  // Argument i converted to a type; throws an Error that names it if it has another type.
  double number(std::size_t i) const;
  double number_or(std::size_t i, double fallback) const { return given(i) ? number(i) : fallback; }
  Index whole(std::size_t i) const;
  bool boolean_or(std::size_t i, bool fallback) const;
  std::string text(std::size_t i) const;
  std::string text_or(std::size_t i, std::string_view fallback) const {
    return given(i) ? text(i) : std::string(fallback);
  }
  // Argument i, one of the choices; the Error lists them and the nearest one.
  std::string one_of(std::size_t i) const;
  Array array(std::size_t i) const;     // any element type
  LabelPtr label(std::size_t i) const;  // name and unit of an array; null if it has none
  Array numbers(std::size_t i) const;   // numeric
  Array ordered(std::size_t i) const;   // numeric but not complex
  Array reals(std::size_t i) const;     // float64
  Array vector(std::size_t i) const;    // float64 with one axis
  const Value& callable(std::size_t i) const;

  // Argument i as an array to modify and return: not copied unless shared. Must be unchanged if an Error is
  // thrown.
  Value& changeable_array(std::size_t i);
  // Argument i, which the built-in may modify. Must be unchanged if an Error is thrown.
  Value& changeable(std::size_t i) { return arguments_[i]; }
  // Argument i as an operand of an elementwise operation: not complex; marked if it is a literal.
  Operand operand(std::size_t i, Array& hold) const;

  // Sets the location of an error to argument i, if it is in the program text.
  void point_at(std::size_t i, Error& error) const;
  [[noreturn]] void fail_argument(std::size_t i, const std::string& message, std::string hint = {}) const;
  // Reports a warning at this call.
  void warn(std::string message, std::string hint = {}) const;
  const Node* node() const { return node_; }

 private:
  // Number of argument i in the written call; -1 if it is absent there, or the call is not in the program
  // text.
  int written(std::size_t i) const;

  std::span<Value> arguments_;
  std::span<Value> many_;
  const CallForm* form_;
  const Node* node_;
};

}  // namespace quill
