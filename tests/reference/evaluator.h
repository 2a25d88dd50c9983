// A slow, obvious evaluator of elementwise expressions on typed arrays of any number of axes, and a generator
// of random expressions that writes each one as text and evaluates it at once. It follows the rules of the
// language from their description, and shares no code with the machine.
#pragma once

#include <cmath>
#include <functional>
#include <limits>
#include <optional>
#include <random>
#include <string>
#include <vector>

namespace quill::test {

// What a program must do instead of giving a value.
struct Refused {
  enum class Why { does_not_fit, no_remainder } why;
};
// The message of an error of that kind holds these words.
inline std::string words_of(Refused::Why why) {
  return why == Refused::Why::does_not_fit ? "does not fit" : "the remainder of a division by the integer 0";
}

struct Reference {
  std::string type;  // as the language names it
  std::vector<long> shape;
  std::vector<double> values;  // row by row
  bool literal = false;        // an integer written in the text
};

struct Written {
  std::string text;
  Reference value;
};

inline bool is_integer_type(const std::string& t) { return t == "int32" || t == "int64" || t == "uint8"; }

inline long count_of(const std::vector<long>& shape) {
  long n = 1;
  for (const long e : shape) n *= e;
  return n;
}

// The value as an element of the type: integers must hold it, float32 rounds.
inline double fitted(double x, const std::string& type) {
  const auto within = [&](double low, double high) {
    if (!(x >= low && x <= high)) throw Refused{Refused::Why::does_not_fit};
    return x + 0.0;  // integers have one zero
  };
  if (type == "int32") return within(-2147483648.0, 2147483647.0);
  if (type == "uint8") return within(0, 255);
  if (type == "int64") return within(-9e15, 9e15);
  return type == "float32" ? static_cast<double>(static_cast<float>(x)) : x;
}

inline std::string common_type_of(const Reference& a, const Reference& b) {
  const auto pick_for = [](const Reference& one, const Reference& other) -> std::string {
    if (one.type != "float64" || !one.shape.empty()) return {};
    if (other.type == "float32") return "float32";
    if (one.literal && is_integer_type(other.type)) return other.type;
    if (one.literal && other.type == "bool") return "int64";
    return {};
  };
  for (const auto& t : {pick_for(a, b), pick_for(b, a)})
    if (!t.empty()) return t;
  if (a.type == b.type) return a.type;
  const auto rank = [](const std::string& t) {
    return t == "bool" ? 0 : t == "uint8" ? 1 : t == "int32" ? 2 : t == "int64" ? 3 : t == "float32" ? 4 : 5;
  };
  const auto &low = rank(a.type) < rank(b.type) ? a.type : b.type,
             &high = rank(a.type) < rank(b.type) ? b.type : a.type;
  return is_integer_type(low) && high == "float32" ? "float64" : high;
}

inline double remainder_by_floor(double a, double b, bool integers) {
  if (b == 0) {
    if (integers) throw Refused{Refused::Why::no_remainder};
    return std::nan("");
  }
  if (integers) return a - b * std::floor(a / b);
  const double r = std::fmod(a, b);  // exact, unlike the formula, when there are fractions
  if (r == 0) return std::copysign(0.0, b);
  return (r < 0) != (b < 0) ? r + b : r;
}

// The element of `a` at a position of a larger shape.
inline double stretched_element(const Reference& a, const std::vector<long>& shape, std::vector<long> at) {
  long offset = 0;
  const auto lead = shape.size() - a.shape.size();
  for (std::size_t i = 0; i < a.shape.size(); ++i)
    offset = offset * a.shape[i] + (a.shape[i] == 1 ? 0 : at[lead + i]);
  return a.values[static_cast<std::size_t>(offset)];
}

inline std::vector<long> position_of(long k, const std::vector<long>& shape) {
  std::vector<long> at(shape.size());
  for (std::size_t i = shape.size(); i-- > 0; k /= shape[i]) at[i] = k % shape[i];
  return at;
}

inline std::vector<long> common_shape(const Reference& a, const Reference& b) {
  std::vector<long> shape(std::max(a.shape.size(), b.shape.size()), 1);
  for (const auto* s : {&a.shape, &b.shape})
    for (std::size_t i = 0; i < s->size(); ++i) {
      auto& e = shape[shape.size() - s->size() + i];
      if (e == 1) e = (*s)[i];
    }
  return shape;
}

// a op b by the rules of the language; op is the sign as written, or "min", "max".
inline Reference combined(const std::string& op, const Reference& a, const Reference& b) {
  const bool compares = op == "<" || op == "<=" || op == "==" || op == "!=";
  auto type = common_type_of(a, b);
  if (op == "/")
    type = type == "float32" ? type : "float64";
  else if (type == "bool" && !compares)
    type = "int64";
  else if (type == "uint8" && op == "-")
    type = "int32";
  Reference out{compares ? "bool" : type, common_shape(a, b), {}, false};
  for (long k = 0; k < count_of(out.shape); ++k) {
    const auto at = position_of(k, out.shape);
    double x = stretched_element(a, out.shape, at), y = stretched_element(b, out.shape, at);
    if (!compares) {
      x = fitted(x, type);
      y = fitted(y, type);
    }
    double r = 0;
    if (op == "+") r = x + y;
    if (op == "-") r = x - y;
    if (op == "*") r = x * y;
    if (op == "/")
      r = type == "float32" ? static_cast<double>(static_cast<float>(x) / static_cast<float>(y)) : x / y;
    if (op == "%") r = remainder_by_floor(x, y, is_integer_type(type));
    if (op == "min") r = std::isnan(x) || x < y ? x : y;
    if (op == "max") r = std::isnan(x) || x > y ? x : y;
    if (op == "<") r = x < y;
    if (op == "<=") r = x <= y;
    if (op == "==") r = x == y;
    if (op == "!=") r = x != y;
    out.values.push_back(compares ? r : fitted(r, type));
  }
  return out;
}

inline Reference negated(const Reference& a) {
  Reference out = a;  // of a literal it is a literal again
  if (a.type == "bool") out.type = "int64";
  if (a.type == "uint8") out.type = "int32";
  for (auto& v : out.values) v = fitted(-v, out.type);
  return out;
}

inline Reference absolute(const Reference& a) {
  Reference out = a;
  out.literal = false;
  if (a.type == "bool") out.type = "int64";
  for (auto& v : out.values) v = fitted(std::fabs(v), out.type);
  return out;
}

// Sum along an axis that stays with length 1.
inline Reference summed(const Reference& a, std::size_t axis) {
  Reference out{a.type == "bool" || a.type == "uint8" ? "int64" : a.type, a.shape, {}, false};
  out.shape[axis] = 1;
  out.values.assign(static_cast<std::size_t>(count_of(out.shape)), 0.0);
  for (long k = 0; k < count_of(a.shape); ++k) {
    auto at = position_of(k, a.shape);
    at[axis] = 0;
    long offset = 0;
    for (std::size_t i = 0; i < at.size(); ++i) offset = offset * out.shape[i] + at[i];
    out.values[static_cast<std::size_t>(offset)] += a.values[static_cast<std::size_t>(k)];
  }
  for (auto& v : out.values) v = fitted(v, out.type);
  return out;
}

// Random expressions whose results broadcast to one shape.
class Generator {
 public:
  explicit Generator(unsigned seed) : random_(seed) {
    const auto axes = 1 + below(3);
    for (long i = 0; i < axes; ++i) base_.push_back(1 + below(3));
    for (int v = 0; v < 4; ++v) make_variable("v" + std::to_string(v));
  }

  const std::string& program() const { return program_; }

  // The first part of the expression, in the order of evaluation, that must be refused, as written.
  struct Refusal {
    Refused::Why why;
    std::string part;
  };
  const std::optional<Refusal>& refusal() const { return refusal_; }

  Written expression(int depth) {
    if (depth == 0 || below(6) == 0) return leaf();
    switch (below(8)) {
      case 0: {
        auto a = expression(depth - 1);
        return made("(-" + a.text + ")", a, [&] { return negated(a.value); });
      }
      case 1: {
        auto a = expression(depth - 1);
        return made("abs(" + a.text + ")", a, [&] { return absolute(a.value); });
      }
      case 2: {
        auto a = expression(depth - 1);
        if (a.value.shape.empty()) return a;
        const auto axis = static_cast<std::size_t>(below(static_cast<long>(a.value.shape.size())));
        return made("sum(" + a.text + ", over: " + std::to_string(axis + 1) + ", keep: true)", a,
                    [&] { return summed(a.value, axis); });
      }
      case 3: {
        auto a = expression(depth - 1), b = expression(depth - 1);
        // Arguments written as literals keep that; computed ones are plain numbers.
        const auto* op = below(2) ? "min" : "max";
        return made(std::string(op) + "(" + a.text + ", " + b.text + ")", a,
                    [&] { return combined(op, a.value, b.value); });
      }
      default: {
        static const std::vector<std::string> ops = {"+", "-", "*", "/", "%", "<", "<=", "==", "!="};
        auto a = expression(depth - 1), b = expression(depth - 1);
        // Two literals are folded to one, which the generator does not follow.
        if (a.value.shape.empty() && b.value.shape.empty()) return a;
        const auto& op = ops[static_cast<std::size_t>(below(static_cast<long>(ops.size())))];
        return made("(" + a.text + " " + op + " " + b.text + ")", a,
                    [&] { return combined(op, a.value, b.value); });
      }
    }
  }

 private:
  // What is written goes on behind a refusal, with a value that no longer matters.
  template <class F>
  Written made(std::string text, const Written& instead, F evaluate) {
    if (!refusal_) try {
        auto value = evaluate();
        return {std::move(text), std::move(value)};
      } catch (const Refused& refused) { refusal_ = Refusal{refused.why, text}; }
    return {std::move(text), instead.value};
  }

  long below(long n) { return std::uniform_int_distribution<long>(0, n - 1)(random_); }

  // An array that is larger than the base shape along some axes, and has length 1, or is missing, along
  // others.
  void make_variable(const std::string& name) {
    static const std::vector<std::string> types = {"float64", "float32", "int32", "int64", "uint8", "bool"};
    Reference v;
    v.type = types[static_cast<std::size_t>(below(6))];
    const auto missing = static_cast<std::size_t>(below(static_cast<long>(base_.size())));
    for (std::size_t i = missing; i < base_.size(); ++i)
      v.shape.push_back(below(4) == 0 ? 1 : below(2) ? base_[i] : 2 * base_[i]);
    std::string numbers;
    for (long k = 0; k < count_of(v.shape); ++k) {
      v.values.push_back(static_cast<double>(
          v.type == "bool" ? below(2) : below(v.type == "uint8" ? 10 : 19) - (v.type == "uint8" ? 0 : 9)));
      numbers += (k ? ", " : "") + std::to_string(static_cast<int>(v.values.back()));
    }
    std::string sizes;
    for (const long e : v.shape) sizes += ", " + std::to_string(e);
    const auto plain = "reshape([" + numbers + "]" + sizes + ")";
    program_ += name + " = " + v.type + "(" + plain + ")\n";
    if (v.shape.size() >= 2 && below(2)) {
      // The same elements, stored with the last two axes swapped.
      program_ += name + " = append(" + name + "', " + name + "'[last, ...])[1..last-1, ...]'\n";
    }
    variables_.emplace_back(name, v);
  }

  // A variable with subscripts that bring every axis to the base length, or a number.
  Written leaf() {
    if (below(5) == 0) {
      const double n = static_cast<double>(below(9));
      if (below(3) == 0)
        return {std::to_string(static_cast<int>(n)) + ".5", {"float64", {}, {n + 0.5}, false}};
      return {std::to_string(static_cast<int>(n)), {"float64", {}, {n}, true}};
    }
    const auto& [name, v] = variables_[static_cast<std::size_t>(below(4))];
    std::string text = name + "[";
    std::vector<std::vector<long>> chosen;
    const auto missing = base_.size() - v.shape.size();
    for (std::size_t i = 0; i < v.shape.size(); ++i) {
      const long n = v.shape[i], wanted = n == 1 ? 1 : base_[missing + i];
      std::vector<long> places;
      std::string s;
      if (n == wanted || n == 1) {
        const bool turned = below(2);
        for (long k = 0; k < n; ++k) places.push_back(turned ? n - 1 - k : k);
        s = turned ? "last..1 by -1" : "..";
      } else {
        const auto form = below(4);
        if (form == 0) s = "1..last by 2";
        if (form == 1) s = "last..1 by -2";
        if (form == 2) s = std::to_string(n - wanted + 1) + "..last";
        if (form == 3) s = "[";
        for (long k = 0; k < wanted; ++k) {
          const long p = form == 0   ? 2 * k
                         : form == 1 ? n - 1 - 2 * k
                         : form == 2 ? n - wanted + k
                                     : below(n);
          places.push_back(p);
          if (form == 3) s += (k ? ", " : "") + std::to_string(p + 1);
        }
        if (form == 3) s += "]";
      }
      text += (i ? ", " : "") + s;
      chosen.push_back(std::move(places));
    }
    Reference out{v.type, {}, {}, false};
    for (const auto& places : chosen) out.shape.push_back(static_cast<long>(places.size()));
    for (long k = 0; k < count_of(out.shape); ++k) {
      const auto at = position_of(k, out.shape);
      long offset = 0;
      for (std::size_t i = 0; i < at.size(); ++i)
        offset = offset * v.shape[i] + chosen[i][static_cast<std::size_t>(at[i])];
      out.values.push_back(v.values[static_cast<std::size_t>(offset)]);
    }
    return {text + "]", out};
  }

  std::mt19937 random_;
  std::vector<long> base_;
  std::string program_;
  std::optional<Refusal> refusal_;
  std::vector<std::pair<std::string, Reference>> variables_;
};

}  // namespace quill::test
