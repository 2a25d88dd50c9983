// Elementwise and special functions beside references of 50 digits, or of as many as reducing an angle takes.
#include <fmt/format.h>

#include <boost/math/special_functions/bessel.hpp>
#include <boost/math/special_functions/beta.hpp>
#include <boost/math/special_functions/erf.hpp>
#include <boost/math/special_functions/gamma.hpp>
#include <boost/multiprecision/cpp_bin_float.hpp>
#include <cmath>
#include <functional>

#include "accuracy/report.h"
#include "array/elementwise.h"

namespace accuracy {

std::string text_of(const std::vector<Range>& ranges) {
  std::string out;
  for (const auto& r : ranges)
    out += fmt::format("{}{}{} … {}{}", out.empty() ? "" : "; ", r.both ? "± " : "", quill::shortest(r.from),
                       quill::shortest(r.to), r.is_spread ? " by magnitude" : "");
  return out;
}

std::vector<double> points_of(const std::vector<Range>& ranges, int count, Points& random) {
  std::vector<double> out;
  for (const auto& r : ranges)
    for (int k = 0; k < count; ++k) {
      const double x = r.is_spread ? random.spread(r.from, r.to) : random.between(r.from, r.to);
      out.push_back(r.both && random.next() < 0.5 ? -x : x);
    }
  return out;
}

namespace {

namespace mp = boost::multiprecision;
using Exact = mp::cpp_bin_float_50;
using Long = mp::number<mp::cpp_bin_float<400>>;
using quill::Array;
using quill::Binary;
using quill::Unary;

// The numbers nearest to multiples of a quarter turn, where sine, cosine or tangent all but vanish: the hard
// places of reducing an angle.
std::vector<double> near_quarter_turns(int count, Points& random) {
  const Long quarter = boost::math::constants::half_pi<Long>();
  std::vector<double> out = {std::ldexp(6381956970095103.0, 797)};
  for (int k = 0; k < count; ++k) {
    const double far = random.spread(1, 1e300);
    out.push_back(static_cast<double>(Long(round(Long(Long(far) / quarter)) * quarter)));
  }
  return out;
}

struct Row {
  Unary op;
  std::function<Exact(const Exact&)> exact;
  std::vector<Range> ranges;
  int count = 2000;
};

Exact in_long(double x, Long (*f)(const Long&)) { return static_cast<Exact>(f(Long(x))); }

Exact exact_sinc(const Exact& x) {
  const Exact t = boost::math::constants::pi<Exact>() * x;
  return x == 0 ? Exact(1) : Exact(sin(t) / t);
}

std::vector<Row> rows() {
  const Range small = {1e-300, 1, true, true}, angle = {1e-3, 1e3, true, true},
              huge = {1e3, 1e300, true, true};
  const auto by_long = [](auto f) {
    return [f](const Exact& x) { return in_long(static_cast<double>(x), +f); };
  };
  return {
      {Unary::sqrt, [](const Exact& x) -> Exact { return sqrt(x); }, {{1e-300, 1e300, true, false}}},
      {Unary::cbrt,
       [](const Exact& x) -> Exact { return boost::math::cbrt(x); },
       {{1e-300, 1e300, true, true}}},
      {Unary::exp, [](const Exact& x) -> Exact { return exp(x); }, {{-700, 700, false, false}, small}},
      {Unary::expm1,
       [](const Exact& x) -> Exact { return boost::math::expm1(x); },
       {{-40, 700, false, false}, small}},
      {Unary::log,
       [](const Exact& x) -> Exact { return log(x); },
       {{1e-300, 1e300, true, false}, {0.5, 2, false, false}}},
      {Unary::log2,
       [](const Exact& x) -> Exact { return log(x) / boost::math::constants::ln_two<Exact>(); },
       {{1e-300, 1e300, true, false}, {0.5, 2, false, false}}},
      {Unary::log10,
       [](const Exact& x) -> Exact { return log10(x); },
       {{1e-300, 1e300, true, false}, {0.5, 2, false, false}}},
      {Unary::log1p,
       [](const Exact& x) -> Exact { return boost::math::log1p(x); },
       {{1e-300, 1, true, false}, {-0.9, 100, false, false}}},
      {Unary::sin, by_long([](const Long& x) -> Long { return sin(x); }), {angle, huge}, 500},
      {Unary::cos, by_long([](const Long& x) -> Long { return cos(x); }), {angle, huge}, 500},
      {Unary::tan, by_long([](const Long& x) -> Long { return tan(x); }), {angle, huge}, 500},
      {Unary::asin, [](const Exact& x) -> Exact { return asin(x); }, {{-1, 1, false, false}, small}},
      {Unary::acos, [](const Exact& x) -> Exact { return acos(x); }, {{-1, 1, false, false}}},
      {Unary::atan,
       [](const Exact& x) -> Exact { return atan(x); },
       {{1e-300, 1e300, true, true}, {0.1, 10, true, true}}},
      {Unary::sinh,
       [](const Exact& x) -> Exact { return sinh(x); },
       {{-700, 700, false, false}, {1e-9, 3, true, true}}},
      {Unary::cosh, [](const Exact& x) -> Exact { return cosh(x); }, {{-700, 700, false, false}}},
      {Unary::tanh,
       [](const Exact& x) -> Exact { return tanh(x); },
       {{-20, 20, false, false}, {1e-9, 1, true, true}}},
      {Unary::asinh,
       [](const Exact& x) -> Exact {
         return x < 0 ? Exact(-log(-x + sqrt(x * x + 1))) : Exact(log(x + sqrt(x * x + 1)));
       },
       {{1e-9, 1e300, true, true}}},
      {Unary::acosh,
       [](const Exact& x) -> Exact { return log(x + sqrt(x * x - 1)); },
       {{1, 10, false, false}, {10, 1e300, true, false}}},
      {Unary::atanh,
       [](const Exact& x) -> Exact { return log((1 + x) / (1 - x)) / 2; },
       {{-0.999, 0.999, false, false}, {1e-9, 0.1, true, true}}},
      {Unary::sinc, exact_sinc, {{-50, 50, false, false}}},
      {Unary::gamma,
       [](const Exact& x) -> Exact { return boost::math::tgamma(x); },
       {{0.01, 170, false, false}, {-20, 0, false, false}},
       500},
      {Unary::log_gamma,
       [](const Exact& x) -> Exact { return boost::math::lgamma(x); },
       {{0.01, 1e10, true, false}, {0.5, 3, false, false}},
       500},
      {Unary::erf,
       [](const Exact& x) -> Exact { return boost::math::erf(x); },
       {{-6, 6, false, false}, {1e-9, 1, true, true}},
       500},
      {Unary::erfc,
       [](const Exact& x) -> Exact { return boost::math::erfc(x); },
       {{-6, 26, false, false}},
       500},
  };
}

struct RowOfTwo {
  Binary op;
  std::string name;
  std::function<Exact(const Exact&, const Exact&)> exact;
  Range first, second;
  int count = 1000;
};

std::vector<RowOfTwo> rows_of_two() {
  return {
      {Binary::power,
       "x ^ y",
       [](const Exact& x, const Exact& y) -> Exact { return pow(x, y); },
       {0.01, 100, true, false},
       {-100, 100, false, false}},
      {Binary::atan2,
       "atan2",
       [](const Exact& y, const Exact& x) -> Exact { return atan2(y, x); },
       {1e-9, 1e9, true, true},
       {1e-9, 1e9, true, true}},
      {Binary::hypot,
       "hypot",
       [](const Exact& x, const Exact& y) -> Exact { return sqrt(x * x + y * y); },
       {1e-150, 1e150, true, true},
       {1e-150, 1e150, true, true}},
      {Binary::beta,
       "beta",
       [](const Exact& x, const Exact& y) -> Exact { return boost::math::beta(x, y); },
       {0.01, 300, true, false},
       {0.01, 300, true, false},
       300},
      {Binary::bessel_j,
       "bessel_j, whole orders",
       [](const Exact& v, const Exact& x) -> Exact { return boost::math::cyl_bessel_j(v, x); },
       {0, 60, false, false},
       {0.01, 200, true, false},
       200},
      {Binary::bessel_j,
       "bessel_j, real orders",
       [](const Exact& v, const Exact& x) -> Exact { return boost::math::cyl_bessel_j(v, x); },
       {0, 300, false, false},
       {0.1, 400, true, false},
       200},
      {Binary::bessel_y,
       "bessel_y, real orders",
       [](const Exact& v, const Exact& x) -> Exact { return boost::math::cyl_neumann(v, x); },
       {0, 100, false, false},
       {0.5, 300, true, false},
       200},
  };
}

}  // namespace

Table functions() {
  Table out{"Functions of one number",
            "Largest error over random points of each range, in units in the last place of the exact value; "
            "0.5 is the error of correct rounding.",
            {"function", "points", "largest error", "at"},
            {}};
  Points random;
  for (const auto& row : rows()) {
    auto x = points_of(row.ranges, row.count, random);
    const bool is_turning = row.op == Unary::sin || row.op == Unary::cos || row.op == Unary::tan;
    if (is_turning)
      for (const double hard : near_quarter_turns(row.count, random)) x.push_back(hard);
    const auto y = quill::apply(row.op, Array::vector(x)).to_vector<double>();
    double worst = 0, at = 0;
    for (std::size_t k = 0; k < x.size(); ++k) {
      const double off = in_ulp(y[k], row.exact(Exact(x[k])));
      if (off > worst) {
        worst = off;
        at = x[k];
      }
    }
    out.rows.push_back({fmt::format("`{}`", quill::name_of(row.op)),
                        text_of(row.ranges) + (is_turning ? "; next to multiples of π/2" : ""),
                        fmt::format("{:.2f}", worst), fmt::format("{:.6g}", at)});
  }
  return out;
}

Table functions_of_two() {
  Table out{"Functions of two numbers",
            "As above. Near the zeros of Bessel functions the error is relative to the size of the function "
            "nearby.",
            {"function", "first", "second", "largest error", "at"},
            {}};
  Points random;
  for (const auto& row : rows_of_two()) {
    auto x = points_of({row.first}, row.count, random), y = points_of({row.second}, row.count, random);
    if (row.name.ends_with("whole orders"))
      for (double& v : x) v = std::floor(v);
    const auto z = quill::apply(row.op, Array::vector(x), Array::vector(y)).to_vector<double>();
    double worst = 0, at = 0, beside = 0;
    for (std::size_t k = 0; k < x.size(); ++k) {
      const auto exact = row.exact(Exact(x[k]), Exact(y[k]));
      const auto nearest = static_cast<double>(exact);
      if (!std::isfinite(nearest) || std::fabs(nearest) < 1e-290) continue;
      double off = in_ulp(z[k], exact);
      // Between its zeros a Bessel function is about sqrt(2 / (pi x)) large.
      if ((row.name.starts_with("bessel_j") || row.name.starts_with("bessel_y")) && y[k] > x[k])
        off *= unit_at(nearest) / std::max(unit_at(nearest), unit_at(0.5 * std::sqrt(0.64 / y[k])));
      if (off > worst) {
        worst = off;
        at = x[k];
        beside = y[k];
      }
    }
    out.rows.push_back({row.name.starts_with("x") ? "`x ^ y`" : row.name, text_of({row.first}),
                        text_of({row.second}), fmt::format("{:.2f}", worst),
                        fmt::format("{:.6g}, {:.6g}", at, beside)});
  }
  return out;
}

}  // namespace accuracy
