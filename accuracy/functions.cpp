// Elementwise and special functions beside references of 50 digits, or of as many as reducing an angle takes.
#include <fmt/format.h>

#include <boost/math/special_functions/bessel.hpp>
#include <boost/math/special_functions/beta.hpp>
#include <boost/math/special_functions/digamma.hpp>
#include <boost/math/special_functions/ellint_1.hpp>
#include <boost/math/special_functions/erf.hpp>
#include <boost/math/special_functions/expint.hpp>
#include <boost/math/special_functions/gamma.hpp>
#include <boost/math/special_functions/lambert_w.hpp>
#include <boost/multiprecision/cpp_bin_float.hpp>
#include <cmath>
#include <functional>

#include "accuracy/report.h"
#include "array/elementwise.h"
#include "numerics/distributions.h"
#include "numerics/special_functions.h"

namespace accuracy {

namespace {

namespace mp = boost::multiprecision;
using Exact = mp::cpp_bin_float_50;
using Long = mp::number<mp::cpp_bin_float<400>>;
using quill::Array;
using quill::Binary;
using quill::Unary;

struct Range {
  double from, to;
  bool is_spread;  // by its logarithm, with both signs when `both`
  bool both;
};

std::vector<double> points_of(const std::vector<Range>& ranges, int count, Points& random) {
  std::vector<double> out;
  for (const auto& r : ranges)
    for (int k = 0; k < count; ++k) {
      const double x = r.is_spread ? random.spread(r.from, r.to) : random.between(r.from, r.to);
      out.push_back(r.both && random.next() < 0.5 ? -x : x);
    }
  return out;
}

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

std::string text_of(const std::vector<Range>& ranges) {
  std::string out;
  for (const auto& r : ranges)
    out += fmt::format("{}{}{} … {}{}", out.empty() ? "" : "; ", r.both ? "± " : "", quill::shortest(r.from),
                       quill::shortest(r.to), r.is_spread ? " by magnitude" : "");
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
  std::function<double(double, double)> of{};  // in place of the operation
};

// Special functions and probabilities of two numbers; those of one take the second.
std::vector<RowOfTwo> special_rows() {
  namespace bm = boost::math;
  using namespace quill::special;
  constexpr auto none = Binary::power;
  constexpr int few = 200;
  const Range positive{0.05, 100, true, false}, one{0, 0, false, false};  // not used
  return {
      {none,
       "gamma_lower",
       [](const Exact& a, const Exact& x) -> Exact { return bm::gamma_p(a, x); },
       positive,
       {0.01, 300, true, false},
       few,
       gamma_lower},
      {none,
       "gamma_upper",
       [](const Exact& a, const Exact& x) -> Exact { return bm::gamma_q(a, x); },
       positive,
       {0.01, 300, true, false},
       few,
       gamma_upper},
      {none,
       "bessel_i",
       [](const Exact& v, const Exact& x) -> Exact { return bm::cyl_bessel_i(v, x); },
       {0, 50, false, false},
       {0.01, 500, true, false},
       few,
       bessel_i},
      {none,
       "bessel_k",
       [](const Exact& v, const Exact& x) -> Exact { return bm::cyl_bessel_k(v, x); },
       {0, 50, false, false},
       {0.01, 500, true, false},
       few,
       bessel_k},
      {none,
       "digamma",
       [](const Exact&, const Exact& x) -> Exact { return bm::digamma(x); },
       one,
       {1.5, 1e6, true, false},
       few,
       [](double, double x) { return digamma(x); }},
      {none,
       "lambert_w",
       [](const Exact&, const Exact& x) -> Exact { return bm::lambert_w0(x); },
       one,
       {1e-6, 1e6, true, false},
       few,
       [](double, double x) { return lambert_w(x); }},
      {none,
       "exponential_integral",
       [](const Exact&, const Exact& x) -> Exact { return bm::expint(x); },
       one,
       {0.5, 300, true, false},
       few,
       [](double, double x) { return exponential_integral(x); }},
      {none,
       "elliptic_k",
       [](const Exact& k, const Exact&) -> Exact { return bm::ellint_1(k); },
       {-0.999, 0.999, false, false},
       one,
       few,
       [](double k, double) { return elliptic_k(k, std::acos(-1.0) / 2); }},
      {none,
       "inverse_erfc",
       [](const Exact&, const Exact& y) -> Exact { return bm::erfc_inv(y); },
       one,
       {1e-290, 0.9, true, false},
       few,
       [](double, double y) { return inverse_erfc(y); }},
      {none,
       "survival of normal",
       [](const Exact&, const Exact& x) -> Exact { return bm::erfc(x / sqrt(Exact(2))) / 2; },
       one,
       {-5, 37, false, false},
       few,
       [](double, double x) {
         return quill::Distribution(quill::DistributionKind::normal, {0, 1}).survival(x);
       }},
      {none,
       "survival of student_t (degrees of freedom, x)",
       [](const Exact& v, const Exact& x) -> Exact {
         return bm::ibeta(v / 2, Exact(0.5), v / (v + x * x)) / 2;
       },
       {1, 60, false, false},
       {0.5, 1e5, true, false},
       few,
       [](double v, double x) {
         return quill::Distribution(quill::DistributionKind::student_t, {v}).survival(x);
       }},
  };
}

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
  auto all = rows_of_two();
  for (auto& row : special_rows()) all.push_back(std::move(row));
  for (const auto& row : all) {
    auto x = points_of({row.first}, row.count, random), y = points_of({row.second}, row.count, random);
    if (row.name.ends_with("whole orders"))
      for (double& v : x) v = std::floor(v);
    std::vector<double> z;
    if (row.of)
      for (std::size_t k = 0; k < x.size(); ++k) z.push_back(row.of(x[k], y[k]));
    else
      z = quill::apply(row.op, Array::vector(x), Array::vector(y)).to_vector<double>();
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
    out.rows.push_back({row.name.starts_with("x") ? "`x ^ y`" : row.name,
                        row.first.to == 0 ? "" : text_of({row.first}),
                        row.second.to == 0 ? "" : text_of({row.second}), fmt::format("{:.2f}", worst),
                        fmt::format("{:.6g}, {:.6g}", at, beside)});
  }
  return out;
}

}  // namespace accuracy
