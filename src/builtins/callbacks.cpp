#include "builtins/callbacks.h"

#include <fmt/format.h>

#include <cmath>

#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "base/pool.h"
#include "builtins/arguments.h"
#include "value/print.h"
#include "value/runtime.h"

namespace quill {

namespace {

class EstimateValue : public LibraryObject, public Pooled<EstimateValue> {
 public:
  using Parts = std::vector<std::pair<std::string, Value>>;
  EstimateValue(Value value, Value error, Index evaluations, Parts more)
      : value_(std::move(value)),
        error_(std::move(error)),
        evaluations_(evaluations),
        more_(std::move(more)) {
    keeps(value_);
  }
  std::string type_name() const override { return "estimate"; }
  std::string describe() const override {
    const auto largest = *reduce(Reduction::maximum, to_array(error_)).data<double>();
    return fmt::format("{} ± {} ({} evaluations)", text_of_value(), with_digits(largest, 2), evaluations_);
  }
  std::optional<Value> numeric() const override { return value_; }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "value") return value_;
    if (name == "error") return error_;
    if (name == "evaluations") return Value(static_cast<double>(evaluations_));
    for (const auto& [more, part] : more_)
      if (name == more) return part;
    return std::nullopt;
  }
  std::vector<std::string> part_names() const override {
    std::vector<std::string> out = {"value", "error", "evaluations"};
    for (const auto& [name, part] : more_) out.push_back(name);
    return out;
  }

 private:
  // Short vectors and complex numbers by their digits, larger arrays by their kind.
  std::string text_of_value() const {
    if (value_.is_number()) return with_digits(value_.number(), 5);
    const auto array = to_array(value_);
    if (array.axes() > 1 || array.size() > 6) return kind_in_words(value_);
    std::string out;
    for (const auto& z : flattened(array).converted(ElementType::complex128).to_vector<Complex>()) {
      out += (out.empty() ? "" : ", ") + with_digits(z.real(), 5);
      if (array.type() == ElementType::complex128)
        out += fmt::format(" {} {}i", z.imag() < 0 ? "-" : "+", with_digits(std::fabs(z.imag()), 5));
    }
    return array.axes() == 0 ? out : "[" + out + "]";
  }

  Value value_, error_;
  Index evaluations_;
  Parts more_;
};

}  // namespace

Value estimate(const Estimate& e) { return estimate(Value(e.value), Value(e.error), e.evaluations); }

Value estimate(Value value, Value error, Index evaluations, std::vector<std::pair<std::string, Value>> more) {
  return {Kind::library, new EstimateValue(std::move(value), std::move(error), evaluations, std::move(more))};
}

double number_from(const Call& call, const Value& given) {
  if (given.is_number()) return given.number();
  if (const auto x = single_real(numeric_value(given))) return *x;
  fail(fmt::format("{}: the function returned {}; it must return a single number", call.row.name,
                   kind_in_words(given)));
}

RealFunction function_of(const Call& call, std::size_t i, Index limit) {
  const Value f = call.callable(i);
  return [&call, f, limit, count = Index{0}, direct = DirectCall{.sizes = {0}}](double x) mutable {
    poll_interrupt_at(static_cast<std::size_t>(count));
    if (count++ == limit)
      fail(fmt::format("{}: the function was called {} times without reaching an end", call.row.name,
                       grouped(limit)));
    double y = 0;
    if (call.runtime.call_direct(direct, f, {&x, 1}, {&y, 1})) return y;
    const Value argument[] = {Value(x)};
    return number_from(call, call.runtime.call(f, argument));
  };
}

Index limit_argument(const Call& call, std::size_t i, Index fallback) {
  if (!call.given(i)) return fallback;
  const auto limit = call.whole(i);
  if (limit < 1) call.fail_argument(i, "must be an integer above 0");
  return limit;
}

std::pair<std::vector<double>, std::vector<double>> bounds_argument(const Call& call, std::size_t i,
                                                                    std::size_t count) {
  const auto& pair = call.value(i);
  if (!pair.is(Kind::tuple) || pair.object<TupleObject>().items.size() != 2)
    call.fail_argument(i, "must be a pair (low, high) of numbers or vectors", "bounds: ([0, 0], inf)");
  const auto spread = [&](const Value& given) {
    if (!given.is_array_like() || !is_numeric(element_type_of(given)) ||
        element_type_of(given) == ElementType::complex128)
      call.fail_argument(i, "must be a pair (low, high) of numbers or vectors", "bounds: ([0, 0], inf)");
    const auto numbers = to_array(given).converted(ElementType::float64).to_vector<double>();
    if (numbers.size() == count) return numbers;
    if (numbers.size() != 1)
      call.fail_argument(i, fmt::format("must contain {1} numbers, not {0}", numbers.size(), count));
    return std::vector<double>(count, numbers[0]);
  };
  const auto& items = pair.object<TupleObject>().items;
  return {spread(items[0]), spread(items[1])};
}

}  // namespace quill
