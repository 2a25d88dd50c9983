// Factorisations, fits, integrators and integrals beside closed forms and certified results.
#include <fmt/format.h>

#include <functional>
#include <numbers>

#include "accuracy/report.h"
#include "array/elementwise.h"
#include "array/rearrange.h"
#include "numerics/derivative.h"
#include "numerics/evolve.h"
#include "numerics/fitting.h"
#include "numerics/integration.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/quadrature.h"
#include "numerics/steppers.h"
#include "reference/certified.h"

namespace accuracy {

namespace {

using quill::Array;
using quill::Binary;
using quill::ElementType;
using quill::Index;
using quill::Unary;

Array product(const Array& a, const Array& b) { return quill::matrix_product(a, b); }
Array difference(const Array& a, const Array& b) { return quill::apply(Binary::subtract, a, b); }

Array random_matrix(Index n, bool is_graded, Points& random) {
  Array out(ElementType::float64, {n, n});
  double* m = out.mutable_data<double>();
  for (Index r = 0; r < n; ++r)
    for (Index c = 0; c < n; ++c)
      m[r * n + c] = random.between(-1, 1) *
                     (is_graded ? std::pow(10, -12.0 * static_cast<double>(r) / static_cast<double>(n)) : 1);
  return out;
}

double in_eps(const Array& off, const Array& whole, Index n) {
  return quill::norm(off) / quill::norm(whole) /
         (static_cast<double>(n) * std::numeric_limits<double>::epsilon());
}

}  // namespace

Table factorisations() {
  Table out{"Factorisations",
            "Largest value of norm(A - product of the factors) / norm(A), in units of n · 2^-52, over ten "
            "matrices of each size: random ones, and matrices whose rows decrease from 1 to 1e-12.",
            {"factors", "n = 20", "n = 100", "n = 300", "graded, n = 100"},
            {}};
  const std::vector<std::pair<std::string, std::function<double(const Array&)>>> kinds = {
      {"`solve`: A x - b by norm(A) norm(x)",
       [](const Array& a) {
         const Index n = a.extent(0);
         const auto b = Array::filled<double>({n}, 1.0);
         const auto x = quill::solve(a, b).x;
         return quill::norm(difference(product(a, x), b)) / (quill::norm(a) * quill::norm(x)) /
                (static_cast<double>(n) * std::numeric_limits<double>::epsilon());
       }},
      {"`lu`",
       [](const Array& a) {
         const auto f = quill::lu_factors(a);
         const Index n = a.extent(0);
         Array turned(ElementType::float64, {n, n});
         for (Index r = 0; r < n; ++r)
           for (Index c = 0; c < n; ++c)
             turned.mutable_data<double>()[r * n + c] = a.at<double>(
                 {static_cast<Index>(f.permutation.converted(ElementType::float64).at<double>({r})) - 1, c});
         return in_eps(difference(turned, product(f.lower, f.upper)), a, n);
       }},
      {"`qr`",
       [](const Array& a) {
         const auto f = quill::qr_factors(a);
         return in_eps(difference(a, product(f.q, f.r)), a, a.extent(0));
       }},
      {"`cholesky` of A A' + 1",
       [](const Array& a) {
         auto s = product(a, a.transposed());
         for (Index k = 0; k < a.extent(0); ++k) s.mutable_data<double>()[k * (a.extent(0) + 1)] += 1;
         const auto l = quill::cholesky(s);
         return in_eps(difference(s, product(l, l.transposed())), s, a.extent(0));
       }},
      {"`svd`",
       [](const Array& a) {
         const auto f = quill::singular_values(a);
         return in_eps(
             difference(a, product(quill::apply(Binary::multiply, f.u, f.values), f.v.transposed())), a,
             a.extent(0));
       }},
      {"`eigen` of A + A'",
       [](const Array& a) {
         const auto s = quill::apply(Binary::add, a, a.transposed());
         const auto e = quill::eigen_parts(s);
         return in_eps(difference(product(s, e.vectors), quill::apply(Binary::multiply, e.vectors, e.values)),
                       s, a.extent(0));
       }},
  };
  Points random;
  for (const auto& [name, off] : kinds) {
    std::vector<std::string> row = {name};
    for (const auto& [n, is_graded] :
         std::vector<std::pair<Index, bool>>{{20, false}, {100, false}, {300, false}, {100, true}}) {
      double worst = 0;
      for (int k = 0; k < 10; ++k) worst = std::max(worst, off(random_matrix(n, is_graded, random)));
      row.push_back(fmt::format("{:.2f}", worst));
    }
    out.rows.push_back(row);
  }
  return out;
}

namespace {

double digits(const std::vector<double>& found, const std::vector<double>& exact) {
  double least = 16;
  for (std::size_t k = 0; k < exact.size(); ++k) {
    const double off = std::fabs(found[k] - exact[k]) / std::fabs(exact[k]);
    if (off > 0) least = std::min(least, -std::log10(off));
  }
  return least;
}

}  // namespace

Table certified() {
  Table out{
      "Certified problems of statistics",
      "Correct digits of the worst coefficient for the reference datasets of the U.S. National Institute of "
      "Standards and Technology, which are certified to 15 digits (Longley, Filip, Wampler) or 11 (MGH).",
      {"problem", "by", "digits"},
      {}};
  const auto add = [&](const std::string& name, const std::string& by, double d) {
    out.rows.push_back({name, by, fmt::format("{:.1f}", d)});
  };
  Array matrix(ElementType::float64, {16, 7});
  double* to = matrix.mutable_data<double>();
  for (const auto& row : quill::certified::kLongleyRows) {
    *to++ = 1;
    for (const double v : row) *to++ = v;
  }
  const auto y = Array::vector(quill::certified::kLongleyY);
  add("Longley", "`least_squares`",
      digits(quill::solve_squares(matrix, y)->x.to_vector<double>(), quill::certified::kLongleyCoefficients));
  const auto as_model = [&](std::span<const double> b) {
    std::vector<double> values;
    for (Index r = 0; r < 16; ++r) {
      double sum = 0;
      for (Index c = 0; c < 7; ++c) sum += b[static_cast<std::size_t>(c)] * matrix.at<double>({r, c});
      values.push_back(sum);
    }
    return values;
  };
  add("Longley", "`fit`",
      digits(quill::model_fit(as_model, y, std::vector<double>(7, 1.0), {}).coefficients,
             quill::certified::kLongleyCoefficients));
  add("Filip", "`polynomial_fit`",
      digits(quill::polynomial_fit(Array::vector(quill::certified::kFilipX),
                                   Array::vector(quill::certified::kFilipY), 10, {})
                 .coefficients,
             quill::certified::kFilipCoefficients));
  std::vector<double> x, ones, tenths;
  for (int k = 0; k <= 20; ++k) {
    double one = 0, tenth = 0;
    for (int power = 0; power <= 5; ++power) {
      one += std::pow(k, power);
      tenth += std::pow(0.1 * k, power);
    }
    x.push_back(k);
    ones.push_back(one);
    tenths.push_back(tenth);
  }
  add("Wampler 1", "`polynomial_fit`",
      digits(quill::polynomial_fit(Array::vector(x), Array::vector(ones), 5, {}).coefficients,
             std::vector<double>(6, 1.0)));
  add("Wampler 2", "`polynomial_fit`",
      digits(quill::polynomial_fit(Array::vector(x), Array::vector(tenths), 5, {}).coefficients,
             {1e-5, 1e-4, 1e-3, 1e-2, 1e-1, 1}));
  std::vector<double> t;
  for (int k = 50; k <= 125; k += 5) t.push_back(k);
  const quill::Model mgh10 = [&](std::span<const double> b) {
    std::vector<double> values;
    for (const double v : t) values.push_back(b[0] * std::exp(b[1] / (v + b[2])));
    return values;
  };
  for (const auto& start : std::vector<std::vector<double>>{{2, 400000, 25000}, {0.02, 4000, 250}})
    add(fmt::format("MGH10 from ({})", fmt::join(start, ", ")), "`fit`",
        digits(quill::model_fit(
                   mgh10,
                   Array::vector(std::vector<double>{34780, 28610, 23650, 19630, 16370, 13720, 11540, 9744,
                                                     8261, 7030, 6005, 5147, 4427, 3820, 3307, 2872}),
                   start, {})
                   .coefficients,
               {5.6096364710e-03, 6.1813463463e+03, 3.4522363462e+02}));
  return out;
}

Table orders() {
  Table out{"Orders of the rules",
            "Convergence orders: the base-2 logarithm of the ratio of errors when the step is halved, and "
            "the theoretical order.",
            {"rule", "measured", "theory"},
            {}};
  const auto add = [&](const std::string& name, double coarse, double fine, const std::string& theory) {
    out.rows.push_back({name, fmt::format("{:.2f}", std::log2(coarse / fine)), theory});
  };
  const quill::Slopes pushed = [](double t, std::span<const double> y, std::span<double> slopes) {
    slopes[0] = y[1];
    slopes[1] = -y[0] - 3 * std::sin(2 * t);
  };
  const auto error_of = [&](quill::StepMethod method, int count) {
    quill::EvolveOptions options;
    options.method = method;
    options.relative = options.absolute = {method == quill::StepMethod::backward_euler ? 1e-9 : 1e9};
    quill::CountedSlopes counted{pushed};
    const auto stepper = quill::make_stepper(counted, options, quill::Tolerances(options, {1, 1}), 0, {1, 2});
    for (int k = 0; k < count; ++k) {
      double h = 2.0 / count;
      stepper->advance(h);
    }
    return std::fabs(stepper->y()[0] - std::cos(2.0) - std::sin(4.0));
  };
  using enum quill::StepMethod;
  const std::vector<std::tuple<quill::StepMethod, int, std::string>> methods = {
      {rk4, 40, "4"}, {dormand_prince, 20, "5"}, {rosenbrock, 40, "4"}, {backward_euler, 2000, "1"}};
  for (const auto& [method, count, theory] : methods)
    add(fmt::format("`evolve`, \"{}\"", quill::name_of(method)), error_of(method, count),
        error_of(method, 2 * count), theory);
  const auto samples = [](Index n, quill::SampleRule rule) {
    std::vector<double> x, y;
    for (Index k = 0; k <= n; ++k) {
      x.push_back(2 * static_cast<double>(k) / static_cast<double>(n));
      y.push_back(std::exp(x.back()));
    }
    return std::fabs(*quill::integrate_samples(Array::vector(x), Array::vector(y), rule, 0).data<double>() -
                     std::expm1(2.0));
  };
  add("`integrate_samples`, \"trapezoid\"", samples(40, quill::SampleRule::trapezoid),
      samples(80, quill::SampleRule::trapezoid), "2");
  add("`integrate_samples`, \"simpson\"", samples(40, quill::SampleRule::simpson),
      samples(80, quill::SampleRule::simpson), "4");
  return out;
}

Table tolerances() {
  Table out{"Errors against tolerances",
            "The tolerance, the error estimate of the result, and the actual error.",
            {"problem", "asked for", "claimed", "true error"},
            {}};
  const auto add = [&](const std::string& name, double asked, double claimed, double wrong) {
    out.rows.push_back({name, fmt::format("{:.0e}", asked),
                        std::isnan(claimed) ? "" : fmt::format("{:.1e}", claimed),
                        fmt::format("{:.1e}", wrong)});
  };
  using std::numbers::pi;
  struct Case {
    std::string name;
    quill::RealFunction f;
    double a, b, exact;
  };
  const std::vector<Case> cases = {
      {"exp(-x^2) over the line", [](double x) { return std::exp(-x * x); }, -INFINITY, INFINITY,
       std::sqrt(pi)},
      {"exp(-(x - 50)^2) over the line", [](double x) { return std::exp(-(x - 50) * (x - 50)); }, -INFINITY,
       INFINITY, std::sqrt(pi)},
      {"1 / sqrt(x) over (0, 1)", [](double x) { return 1 / std::sqrt(x); }, 0, 1, 2},
      {"1 / sqrt(1 - x) over (0, 1)", [](double x) { return 1 / std::sqrt(1 - x); }, 0, 1, 2},
      {"log(x) over (0, 1)", [](double x) { return std::log(x); }, 0, 1, -1},
      {"a jump at 0.3", [](double x) { return x < 0.3 ? 0 : 1; }, 0, 1, 0.7},
      {"a resonance of width 1e-5", [](double x) { return 1e-5 / ((x - 0.4) * (x - 0.4) + 1e-10); }, 0, 1,
       std::atan(0.6e5) + std::atan(0.4e5)},
      {"cos(100 x) over (0, 1)", [](double x) { return std::cos(100 * x); }, 0, 1, std::sin(100.0) / 100},
  };
  for (const auto& c : cases)
    for (const double asked : {1e-6, 1e-10}) {
      quill::IntegralOptions options;
      options.relative = asked;
      const auto e = quill::integrate(c.f, c.a, c.b, options);
      add("`integrate`: " + c.name, asked, e.error / std::fabs(c.exact),
          std::fabs(e.value - c.exact) / std::fabs(c.exact));
    }
  const quill::Slopes turn = [](double, std::span<const double> y, std::span<double> slopes) {
    slopes[0] = y[1];
    slopes[1] = -y[0];
  };
  for (const auto method :
       {quill::StepMethod::dormand_prince, quill::StepMethod::bulirsch_stoer, quill::StepMethod::rosenbrock})
    for (const double asked : {1e-6, 1e-9}) {
      quill::EvolveOptions options;
      options.method = method;
      options.relative = options.absolute = {asked};
      const auto run =
          quill::evolve(turn, std::vector<double>{0, 1}, std::vector<double>{0, 20}, true, options);
      add(fmt::format("`evolve`, \"{}\": three turns of a circle", quill::name_of(method)), asked, NAN,
          std::fabs(run.y[run.y.size() - 2] - std::sin(20.0)));
    }
  for (const auto& [name, f, at, exact] :
       std::vector<std::tuple<std::string, quill::RealFunction, double, double>>{
           {"`derivative`: sin at 1", [](double x) { return std::sin(x); }, 1, std::cos(1.0)},
           {"`derivative`: 1 / x at 1e-3", [](double x) { return 1 / x; }, 1e-3, -1e6},
           {"`derivative`: exp(-x^2 / 1e-18) at 1e-9", [](double x) { return std::exp(-x * x / 1e-18); },
            1e-9, -2e9 * std::exp(-1.0)}}) {
    const auto e = quill::derivative(f, at);
    add(name, 0, e.error / std::fabs(exact), std::fabs(e.value - exact) / std::fabs(exact));
    out.rows.back()[1] = "";
  }
  return out;
}

}  // namespace accuracy
