#include "method_benchmarks.h"

#include <gsl/gsl_integration.h>
#include <lapacke.h>

#include <boost/numeric/odeint/integrate/integrate_const.hpp>
#include <boost/numeric/odeint/stepper/controlled_runge_kutta.hpp>
#include <boost/numeric/odeint/stepper/generation.hpp>
#include <boost/numeric/odeint/stepper/runge_kutta_dopri5.hpp>
#include <cmath>
#include <string>
#include <vector>

#include "numerics/evolve.h"
#include "numerics/fitting.h"
#include "numerics/quadrature.h"
#include "numerics/roots.h"
#include "statement.h"
#include "twins.h"

namespace {

namespace odeint = boost::numeric::odeint;

double wave(double x, void*) { return std::exp(-x * x) * std::cos(3 * x); }
double hill(double y, void* x) { return std::exp(-(*static_cast<double*>(x)) * y) * std::cos(y); }

double integral(gsl_function f, double end, gsl_integration_workspace* room) {
  double value = 0, error = 0;
  gsl_integration_qag(&f, 0, end, 0, 1e-10, 1000, GSL_INTEG_GAUSS21, room, &value, &error);
  return value;
}
double integral_by_library() {
  static auto* room = gsl_integration_workspace_alloc(1000);
  return integral({wave, nullptr}, 2, room);
}

double inner(double x, void*) {
  static auto* room = gsl_integration_workspace_alloc(1000);
  return integral({hill, &x}, 3, room);
}
double double_integral_by_library() {
  static auto* room = gsl_integration_workspace_alloc(1000);
  return integral({inner, nullptr}, 1, room);
}

// A swing followed through 100 units of time, at each unit.
double swing_by_library() {
  using State = std::vector<double>;
  State y = {1.5, 0};
  double sum = 0;
  odeint::integrate_const(
      odeint::make_dense_output(1e-9, 1e-6, odeint::runge_kutta_dopri5<State>()),
      [](const State& s, State& slope, double) {
        slope[0] = s[1];
        slope[1] = -4 * std::sin(s[0]);
      },
      y, 0.0, 100.0, 1.0, [&](const State& s, double) { sum += s[0]; });
  return sum;
}

// Q and R of a matrix column by column.
void factor(std::vector<double>& a, lapack_int rows, lapack_int columns) {
  std::vector<double> scales(static_cast<std::size_t>(columns));
  LAPACKE_dgeqrf(LAPACK_COL_MAJOR, rows, columns, a.data(), rows, scales.data());
  LAPACKE_dorgqr(LAPACK_COL_MAJOR, rows, columns, columns, a.data(), rows, scales.data());
}

void add(const std::string& name, const std::string& before, const std::string& statement, auto twin) {
  using benchmark::RegisterBenchmark;
  RegisterBenchmark((name + "/script").c_str(),
                    [=](benchmark::State& s) { time_statement(s, before, statement); })
      ->Unit(benchmark::kMicrosecond)
      ->UseRealTime()
      ->Repetitions(3);
  RegisterBenchmark((name + "/c++").c_str(),
                    [=](benchmark::State& s) {
                      for (auto _ : s) twin();
                    })
      ->Unit(benchmark::kMicrosecond)
      ->UseRealTime()
      ->Repetitions(3);
}

// Built-ins that call a function of the script, against the same method with a C++ lambda.
void register_callbacks() {
  add("integrate a function of the script, 200 times",
      "fn many(n) {\n  s = 0\n  for k in 1..n { s += integrate(fn(x) = exp(-x) * sin(k * x), 0, 1) }\n"
      "  return s\n}\nw = many(200)",
      "w = many(200)", [] {
        double sum = 0;
        for (int k = 1; k <= 200; ++k)
          sum += quill::integrate([k](double x) { return std::exp(-x) * std::sin(k * x); }, 0, 1, {}).value;
        benchmark::DoNotOptimize(sum);
      });
  add("find a root in a loop, 10^4 times",
      "fn many(n) {\n  s = 0\n  for k in 1..n { s += find_root(fn(x) = x * x * x - k, (0, 50)) }\n  return "
      "s\n}\n"
      "w = many(10000)",
      "w = many(10000)", [] {
        double sum = 0;
        for (int k = 1; k <= 10000; ++k)
          sum += quill::find_root([k](double x) { return x * x * x - k; }, 0, 50).value;
        benchmark::DoNotOptimize(sum);
      });
  static std::vector<double> at(100000), seen(100000);
  for (std::size_t i = 0; i < at.size(); ++i) {
    at[i] = static_cast<double>(i) * 1e-4;
    seen[i] = 3 * std::exp(-0.7 * at[i]) + 0.5 + 0.01 * std::sin(1e3 * at[i]);
  }
  add("fit of three parameters, 10^5 points",
      "x = 1e-4 * (0..99999)\ny = 3 * exp(-0.7 * x) + 0.5 + 0.01 * sin(1e3 * x)\nmodel = fn(x, p) = p[1] * "
      "exp(-p[2] "
      "* x) + p[3]",
      "w = fit(model, x, y, start: [1, 1, 1])", [] {
        const auto made = quill::model_fit(
            [](std::span<const double> p, std::span<double> out) {
              for (std::size_t i = 0; i < out.size(); ++i) out[i] = p[0] * std::exp(-p[1] * at[i]) + p[2];
            },
            quill::Array::vector(seen), {1, 1, 1}, {});
        benchmark::DoNotOptimize(made.coefficients[0]);
      });
  add("evolve three equations",
      "lorenz = fn(t, y) = [10 * (y[2] - y[1]), y[1] * (28 - y[3]) - y[2], y[1] * y[2] - 8/3 * y[3]]\n"
      "w = evolve(lorenz, [1, 1, 1], over: (0, 20))",
      "w = evolve(lorenz, [1, 1, 1], over: (0, 20))", [] {
        const std::vector<double> start{1, 1, 1}, times{0, 20};
        const auto run = quill::evolve(
            [](double, std::span<const double> y, std::span<double> out) {
              out[0] = 10 * (y[1] - y[0]);
              out[1] = y[0] * (28 - y[2]) - y[1];
              out[2] = y[0] * y[1] - 8.0 / 3 * y[2];
            },
            start, times, true, {});
        benchmark::DoNotOptimize(run.steps);
      });
}

}  // namespace

void register_method_benchmarks() {
  register_callbacks();
  const auto keep = [](auto f) { return [f] { benchmark::DoNotOptimize(f()); }; };
  const std::string confirm = ", confirm: false";
  for (const std::string& option : {std::string(), confirm}) {
    add("integral" + option, "f = fn(x) = exp(-x^2) * cos(3 * x)", "r = integrate(f, 0, 2" + option + ")",
        keep(integral_by_library));
    add("integral over two variables" + option, "f = fn(x, y) = exp(-x * y) * cos(y)",
        "r = integrate(f, (0, 1), (0, 3)" + option + ")", keep(double_integral_by_library));
    add("evolve" + option, "swing = fn(t, y) = [y[2], -4 * sin(y[1])]",
        "r = evolve(swing, [1.5, 0], over: 0..100" + option + ")", keep(swing_by_library));
  }
  constexpr lapack_int rows = 1000000, columns = 10;
  static std::vector<double> matrix(static_cast<std::size_t>(rows) * columns);
  twins::normals(matrix);
  add("qr 10^6 × 10", "seed(1)\na = random_normal(10^6, 10)", "r = qr(a)", [] {
    auto a = matrix;
    factor(a, rows, columns);
    benchmark::DoNotOptimize(a.data());
  });
}
