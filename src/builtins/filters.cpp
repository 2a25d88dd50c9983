// Digital filters and smoothing.
#include "numerics/filters.h"

#include <fmt/format.h>

#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/method.h"
#include "builtins/tables.h"
#include "numerics/linear_algebra.h"
#include "numerics/lines.h"
#include "value/print.h"

namespace quill {

namespace filter_calls {
namespace {

constexpr std::string_view kFamily = "signals";

Array samples_argument(const Call& call, std::size_t i) {
  auto y = call.reals(i);
  if (y.axes() == 0) call.fail_argument(i, "must be an array, not a single number");
  refuse_not_finite(y, "y");
  y.label = call.label(i);
  return y;
}

class FilterValue : public LibraryObject {
 public:
  FilterValue(Filter f, std::string what) : f_(std::move(f)), what_(std::move(what)) {}
  std::string type_name() const override { return "filter"; }
  std::string describe() const override { return what_; }
  std::vector<std::string> part_names() const override {
    return {"apply", "response", f_.is_finite() ? "weights" : "sections"};
  }
  std::optional<Value> part(const std::string& name) const override {
    const boost::intrusive_ptr<const FilterValue> self(this);
    if (name == "apply")
      return Method::make(name, [self](Runtime&, std::span<Value> given) {
        const auto y = real_arguments("apply", given, 1)[0];
        if (y.axes() == 0) fail("apply takes an array, not a single number");
        refuse_not_finite(y, "y");
        return Value::array(
            by_lines(y, 0, [&](std::span<const double> line) { return self->f_.applied(line, false); }));
      });
    if (name == "response")
      return Method::make(name, [self](Runtime&, std::span<Value> given) {
        const auto f = real_arguments("response", given, 1)[0].compact();
        Array out(ElementType::complex128, f.shape());
        for (Index k = 0; k < f.size(); ++k)
          out.mutable_data<Complex>()[k] = self->f_.response(f.data<double>()[k]);
        return Value::array(std::move(out));
      });
    if (name == "weights" && f_.is_finite()) return Value::array(Array::vector(f_.weights()));
    if (name == "sections" && !f_.is_finite()) {
      std::vector<double> all;
      for (const auto& s : f_.sections()) all.insert(all.end(), {s.b0, s.b1, s.b2, s.a1, s.a2});
      return Value::array(Array::vector(all).with_shape({static_cast<Index>(f_.sections().size()), 5}));
    }
    return std::nullopt;
  }

 private:
  Filter f_;
  std::string what_;
};

PassKind kind_of(const Call& call, std::size_t i) {
  const auto word = call.one_of(i);
  return word == "high"   ? PassKind::high
         : word == "band" ? PassKind::band
         : word == "stop" ? PassKind::stop
                          : PassKind::low;
}

Cutoff cutoff_argument(const Call& call, std::size_t i, PassKind kind) {
  if (kind == PassKind::low || kind == PassKind::high) {
    const double c = call.number(i);
    return {c, c};
  }
  const auto pair = number_pair(call.value(i));
  if (!pair) call.fail_argument(i, "must be two frequencies (low, high)", "(0.1, 0.2)");
  return {pair->first, pair->second};
}

std::string words_of(PassKind kind, const Cutoff& c) {
  if (kind == PassKind::low) return fmt::format("low pass below {}", with_digits(c.low, 5));
  if (kind == PassKind::high) return fmt::format("high pass above {}", with_digits(c.low, 5));
  return fmt::format("band {} of {} … {}", kind == PassKind::band ? "pass" : "stop", with_digits(c.low, 5),
                     with_digits(c.high, 5));
}

Value butterworth_row(Call& call) {
  const auto kind = kind_of(call, 2);
  const auto cutoff = cutoff_argument(call, 1, kind);
  const auto order = call.whole(0);
  auto f = Filter::butterworth(static_cast<int>(std::clamp<Index>(order, -1, 1000)), cutoff, kind,
                               call.number_or(3, 1));
  return {Kind::library, new FilterValue(std::move(f), fmt::format("Butterworth filter of order {}, {}",
                                                                   order, words_of(kind, cutoff)))};
}

Value finite_row(Call& call) {
  const auto kind = kind_of(call, 2);
  const auto cutoff = cutoff_argument(call, 1, kind);
  auto f = Filter::finite(call.whole(0), cutoff, kind, call.number_or(3, 1));
  return {Kind::library, new FilterValue(std::move(f), fmt::format("filter of {} weights, {}", call.whole(0),
                                                                   words_of(kind, cutoff)))};
}

Value pass_row(Call& call, PassKind kind) {
  const auto y = samples_argument(call, 0);
  const auto order = call.given(3) ? call.whole(3) : 4;
  const auto f = Filter::butterworth(static_cast<int>(std::clamp<Index>(order, -1, 1000)),
                                     cutoff_argument(call, 1, kind), kind, call.number_or(2, 1));
  const bool causal = call.boolean_or(4, false);
  return Value::array(by_lines(y, axis_argument(call, 5, y),
                               [&](std::span<const double> line) { return f.applied(line, causal); }));
}

int small_whole(const Call& call, std::size_t i, int fallback) {
  return call.given(i) ? static_cast<int>(std::clamp<Index>(call.whole(i), -1, 1000)) : fallback;
}

Value smooth_row(Call& call) {
  const auto y = samples_argument(call, 0);
  const auto window = call.whole(1);
  const int degree = small_whole(call, 2, 2), derivative = small_whole(call, 3, 0);
  const double spacing = call.number_or(4, 1);
  if (!(spacing > 0)) call.fail_argument(4, "must be a positive number");
  return Value::array(by_lines(y, axis_argument(call, 5, y), [&](std::span<const double> line) {
    return smoothed(line, window, degree, derivative, spacing);
  }));
}

Value detrend_row(Call& call) {
  const auto y = samples_argument(call, 0);
  const int degree = small_whole(call, 1, 1);
  return Value::array(by_lines(y, axis_argument(call, 2, y),
                               [&](std::span<const double> line) { return detrended(line, degree); }));
}

}  // namespace
}  // namespace filter_calls

std::vector<Builtin> filter_rows() {
  using namespace filter_calls;
  const Parameter y = {"y", "equally spaced samples", ""};
  const Parameter spacing = {"spacing", "sampling interval", "1"};
  const Parameter over = {"over", "axis", "1"};
  const Parameter kind =
      one_of({"kind", "\"low\", \"high\", \"band\" or \"stop\"", "\"low\""}, choices::kPasses);
  const Parameter cutoff = {
      "cutoff", "cutoff frequency, in cycles per unit of the spacing; for bands a pair (low, high)", ""};
  const Parameter order = {"order", "order of the filter, 1 to 20", "4"};
  const Parameter causal = {
      "causal", "whether to filter forward only, which delays; otherwise both ways, without delay", "false"};
  constexpr std::string_view source =
      "S. Butterworth, 1930; bilinear transformation, sections of second order";
  constexpr std::string_view errors =
      "if data are nan; if a cutoff is not between 0 and half the sampling rate";
  return {
      {
          .name = "low_pass",
          .family = kFamily,
          .summary = "Remove the frequencies above a cutoff (Butterworth filter).",
          .parameters = {y,
                         {"cutoff", "cutoff frequency, in cycles per unit of the spacing", ""},
                         spacing,
                         order,
                         causal,
                         over},
          .returns = "array of the shape of y; the gain at the cutoff is 1/2, or 1/√2 if causal; beyond the "
                     "ends the series "
                     "is reflected at its end points",
          .errors = errors,
          .source = source,
          .example = "t = 0..99\ny = sin(0.1*t) + 0.5*sin(2.5*t)\nmax(abs(low_pass(y, 0.1) - "
                     "sin(0.1*t))[20..80]) < 0.01",
          .output = "max(abs(low_pass(y, 0.1) - sin(0.1*t))[20..80]) < 0.01 = true",
          .run = [](Call& c) { return pass_row(c, PassKind::low); },
      },
      {
          .name = "high_pass",
          .family = kFamily,
          .summary = "Remove the frequencies below a cutoff (Butterworth filter).",
          .parameters = {y,
                         {"cutoff", "cutoff frequency, in cycles per unit of the spacing", ""},
                         spacing,
                         order,
                         causal,
                         over},
          .returns = "array of the shape of y; see low_pass",
          .errors = errors,
          .source = source,
          .example = "max(abs(high_pass(ones(50), 0.1))) < 1e-9",
          .output = "max(abs(high_pass(ones(50), 0.1))) < 1e-9 = true",
          .run = [](Call& c) { return pass_row(c, PassKind::high); },
      },
      {
          .name = "band_pass",
          .family = kFamily,
          .summary = "Keep the frequencies between two cutoffs (Butterworth filter).",
          .parameters = {y,
                         {"cutoff", "pair (low, high) of frequencies, in cycles per unit of the spacing", ""},
                         spacing,
                         order,
                         causal,
                         over},
          .returns = "array of the shape of y; see low_pass",
          .errors = errors,
          .source = source,
          .example = "max(abs(band_pass(ones(50), (0.1, 0.2)))) < 1e-9",
          .output = "max(abs(band_pass(ones(50), (0.1, 0.2)))) < 1e-9 = true",
          .run = [](Call& c) { return pass_row(c, PassKind::band); },
      },
      {
          .name = "butterworth",
          .family = kFamily,
          .summary = "Design a Butterworth filter.",
          .parameters = {{"order",
                          "order of the low-pass prototype, 1 to 20; a band filter has twice as many poles",
                          ""},
                         cutoff,
                         kind,
                         spacing},
          .returns = "a filter f: f.apply(y) filters the first axis forward and backward, so that nothing is "
                     "delayed; "
                     "f.response(frequencies) is the complex gain of a single forward filtering; f.sections "
                     "has a row b0, b1, b2, a1, "
                     "a2 for "
                     "each section",
          .errors = "if a cutoff is not between 0 and half the sampling rate",
          .source = source,
          .example = "f = butterworth(3, 0.1)\nabs(f.response([0, 0.1, 0.5]))",
          .output = "abs(f.response([0, 0.1, 0.5])) : float64 3\n  1.0000  0.7071  0.0000",
          .run = butterworth_row,
      },
      {
          .name = "finite_filter",
          .family = kFamily,
          .summary =
              "Design a filter of finite length: a windowed ideal response, symmetric and without delay.",
          .parameters = {{"length", "odd number of weights", ""}, cutoff, kind, spacing},
          .returns = "a filter f: f.apply(y) filters along the first axis once; f.response(frequencies) is "
                     "the complex gain; "
                     "f.weights",
          .errors = "if a cutoff is not between 0 and half the sampling rate; if the length is even",
          .source = "Hamming's window; F. J. Harris, Proc. IEEE 66, 1978",
          .example = "f = finite_filter(51, 0.1)\nround(abs(f.response([0, 0.1, 0.2])), digits: 2)",
          .output = "round(abs(f.response([0, 0.1, 0.2])), digits: 2) : float64 3\n  1.0  0.5  0.0",
          .run = finite_row,
      },
      {
          .name = "smooth",
          .family = kFamily,
          .summary =
              "Smooth equally spaced samples by local polynomials (Savitzky–Golay), or differentiate them.",
          .parameters = {y,
                         {"window", "odd number of samples", ""},
                         {"degree", "degree of the polynomials", "2"},
                         {"derivative", "order of the derivative", "0"},
                         spacing,
                         over},
          .returns = "array of the shape of y; polynomials of the degree stay as they are, also at the ends",
          .errors = "if data are nan; if the window is even or longer than the samples",
          .source = "A. Savitzky, M. J. E. Golay, Anal. Chem. 36, 1964",
          .example = "near(smooth((1..9)^2, 5), (1..9)^2)",
          .output = "near(smooth((1..9)^2, 5), (1..9)^2) = true",
          .run = smooth_row,
      },
      {
          .name = "detrend",
          .family = kFamily,
          .summary = "Subtract a polynomial trend, fitted by least squares.",
          .parameters = {y, {"degree", "degree of the polynomial; 0 subtracts the mean", "1"}, over},
          .returns = "array of the shape of y",
          .errors = "if data are nan",
          .source = "orthogonal polynomials; G. E. Forsythe, J. SIAM 5, 1957",
          .example = "detrend([1, 3, 2, 4])",
          .output = "detrend([1, 3, 2, 4]) : float64 4\n  -0.3   0.9  -0.9   0.3",
          .run = detrend_row,
      },
  };
}

}  // namespace quill
