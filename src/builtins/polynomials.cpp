// Polynomials as values.
#include <fmt/format.h>

#include "array/elementwise.h"
#include "builtins/method.h"
#include "builtins/tables.h"
#include "numerics/polynomial.h"

namespace quill {

namespace polynomials_calls {
namespace {

class PolynomialValue : public LibraryObject {
 public:
  explicit PolynomialValue(Polynomial p) : p_(std::move(p)) {}
  std::string type_name() const override { return "polynomial"; }
  std::string describe() const override { return p_.text(5); }
  Value call(Runtime&, std::span<Value> arguments) const override {
    if (arguments.size() != 1) fail(fmt::format("a polynomial takes 1 argument, not {}", arguments.size()));
    return at(arguments[0]);
  }
  std::vector<std::string> part_names() const override {
    return {"coefficients", "degree", "roots", "derivative", "integral"};
  }
  std::optional<Value> part(const std::string& name) const override;
  std::optional<Value> combined(Binary op, const Value& other, bool other_is_left) const override;
  std::optional<bool> equals(const Value& other) const override {
    const auto* p = of(other);
    return p && p->p_.coefficients() == p_.coefficients();
  }

 protected:
  static const PolynomialValue* of(const Value& v) {
    return v.is(Kind::library) ? dynamic_cast<const PolynomialValue*>(&v.object<LibraryObject>()) : nullptr;
  }
  Value at(const Value& given) const {
    const auto x = numeric_value(given);
    if (!x.is_array_like() || !is_numeric(element_type_of(x)))
      fail(fmt::format("a polynomial takes numbers, not {}", kind_in_words(x)));
    const auto numbers = to_array(x);
    return Value::array(
        p_.at(numbers.type() == ElementType::complex128 ? numbers : numbers.converted(ElementType::float64)));
  }
  Polynomial p_;
};

// An antiderivative gives the integral between two ends, too.
class AntiderivativeValue : public PolynomialValue {
 public:
  using PolynomialValue::PolynomialValue;
  Value call(Runtime& runtime, std::span<Value> arguments) const override {
    if (arguments.size() != 2) return PolynomialValue::call(runtime, arguments);
    return Value::array(apply(Binary::subtract, to_array(at(arguments[1])), to_array(at(arguments[0]))));
  }
};

std::optional<Value> PolynomialValue::part(const std::string& name) const {
  if (name == "coefficients") return Value::array(Array::vector(p_.coefficients()));
  if (name == "degree") return Value(static_cast<double>(p_.degree()));
  if (name == "roots") return Value::array(p_.roots());
  if (name == "derivative") return Value(Kind::library, new PolynomialValue(p_.derivative()));
  if (name == "integral") return Value(Kind::library, new AntiderivativeValue(p_.integral()));
  return std::nullopt;
}

std::optional<Value> PolynomialValue::combined(Binary op, const Value& other, bool other_is_left) const {
  const auto* p = of(other);
  const auto number = single_real(other);
  if (!p && !number) return std::nullopt;
  const auto q = p ? p->p_ : Polynomial({*number});
  const Polynomial minus_one({-1});
  const auto made = [](Polynomial r) { return Value(Kind::library, new PolynomialValue(std::move(r))); };
  switch (op) {
    case Binary::add: return made(p_ + q);
    case Binary::subtract: return made(other_is_left ? q + minus_one * p_ : p_ + minus_one * q);
    case Binary::multiply: return made(p_ * q);
    case Binary::divide:
      if (!number || other_is_left || *number == 0) return std::nullopt;
      return made(p_ * Polynomial({1 / *number}));
    default: return std::nullopt;
  }
}

}  // namespace
}  // namespace polynomials_calls

std::vector<Builtin> polynomial_rows() {
  using namespace polynomials_calls;
  return {
      {
          .name = "polynomial",
          .family = "fits",
          .summary = "Create a polynomial, which can be called, added and multiplied.",
          .parameters = {{"coefficients", "vector of real coefficients, highest power first", ""}},
          .returns =
              "a function of numbers of any shape, real or complex; fields: roots, coefficients, degree, "
              "derivative, integral; p.integral(a, b) between two ends; + - * with polynomials and numbers",
          .errors = "if a coefficient is not finite",
          .source = "roots: eigenvalues of the companion matrix, refined by Newton's method",
          .example = "p = polynomial([1, -3, 2])\np(5)\np.roots\np * p - 1\np.integral(0, 1)",
          .output = "p(5) = 12\np.roots : float64 2\n  1  2\np * p - 1 = x^4 - 6*x^3 + 13*x^2 - 12*x + "
                    "3\np.integral(0, 1) = 0.83333",
          .run =
              [](Call& c) {
                return Value(Kind::library, new PolynomialValue(Polynomial(c.vector(0).to_vector<double>())));
              },
      },
  };
}

}  // namespace quill
