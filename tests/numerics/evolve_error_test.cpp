// The errors that a solution of differential equations states, against solutions in higher precision.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/error.h"
#include "numerics/evolve.h"
#include "reference/evolution_problems.h"

using namespace quill;
using namespace quill::test;

namespace {

using enum StepMethod;

std::vector<double> equal_times(double from, double to, int count) {
  std::vector<double> out;
  for (int k = 0; k < count; ++k) out.push_back(from + (to - from) * k / (count - 1));
  return out;
}

Trajectory solved(const EvolutionProblem& p, const std::vector<double>& t, const EvolveOptions& options) {
  return evolve([&](double at, auto y, auto out) { p.slopes(at, y, out); }, p.start, t, false, options);
}

// How many numbers are off by more than three times the stated error, before it says that all is uncertain.
int false_claims(const Trajectory& run, const std::vector<std::vector<double>>& exact) {
  int out = 0;
  const auto size = exact[0].size();
  for (std::size_t i = 0; i < exact.size() && run.t[i] <= run.uncertain_from.value_or(INFINITY); ++i)
    for (std::size_t k = 0; k < size; ++k) {
      const double rounding = 1e-15 * std::fabs(exact[i][k]) + 1e-17;
      if (std::fabs(run.y[i * size + k] - exact[i][k]) > 3 * run.error[i * size + k] + rounding) ++out;
    }
  return out;
}

void check_set(const std::vector<EvolutionProblem>& problems, const std::vector<StepMethod>& methods) {
  for (const auto& p : problems) {
    const auto t = equal_times(0, p.end, 61);
    const auto exact = p.solution(t);
    for (const auto method : methods)
      for (const double tolerance : {1e-3, 1e-6, 1e-9}) {
        CAPTURE(p.name, name_of(method), tolerance);
        EvolveOptions options;
        options.method = method;
        options.relative = {tolerance};
        options.longest = INFINITY;
        if (method == rk4) {
          if (tolerance != 1e-6) continue;
          options.longest = 0;
          options.step = 0.05;
        }
        CHECK(false_claims(solved(p, t, options), exact) == 0);
      }
  }
}

// E. N. Lorenz, Deterministic nonperiodic flow, 1963.
void lorenz(double, std::span<const double> y, std::span<double> out) {
  out[0] = 10 * (y[1] - y[0]);
  out[1] = y[0] * (28 - y[2]) - y[1];
  out[2] = y[0] * y[1] - 8.0 / 3 * y[2];
}

}  // namespace

TEST_CASE("published problems stay within three times the stated error at every time") {
  check_set(detest(), {dormand_prince, bulirsch_stoer, rosenbrock, rk4});
}

TEST_CASE("published stiff problems stay within three times the stated error at every time") {
  check_set(stiff_problems(), {rosenbrock});
}

TEST_CASE("stated errors are of the size of the true ones") {
  for (const auto& p : detest()) {
    if (p.name[0] != 'D') continue;
    const auto t = equal_times(0, p.end, 61);
    const auto exact = p.solution(t);
    const auto run = solved(p, t, {});
    double stated = 0, right = 0;
    for (std::size_t i = 0; i < run.y.size(); ++i) {
      stated = std::max(stated, run.error[i]);
      right = std::max(right, std::fabs(run.y[i] - exact[i / 4][i % 4]));
    }
    CAPTURE(p.name, stated, right);
    CHECK(stated < 5 * right);
  }
}

TEST_CASE("a chaotic solution warns from the time when its error is large") {
  const auto t = equal_times(0, 60, 601);
  for (const auto method : {dormand_prince, bulirsch_stoer, rosenbrock}) {
    EvolveOptions options;
    options.method = method;
    const auto run = evolve(lorenz, std::vector<double>{1, 1, 1}, t, false, options);
    REQUIRE(run.uncertain_from);
    CHECK(*run.uncertain_from > 5);
    CHECK(*run.uncertain_from < 40);
    // From then on it says so, but for chance.
    int near = 0;
    for (std::size_t i = 0; i < t.size(); ++i)
      if (t[i] > 1.5 * *run.uncertain_from && run.error[3 * i] < 0.2) ++near;
    CHECK(near == 0);
  }
  // For a short time it can.
  EvolveOptions options;
  options.relative = {1e-10};
  const auto early = evolve(lorenz, std::vector<double>{1, 1, 1}, equal_times(0, 10, 11), false, options);
  CHECK_FALSE(early.uncertain_from);
}

TEST_CASE("a smooth solution is confirmed, and a second solution is left out on request") {
  const auto decay = [](double, std::span<const double> y, std::span<double> out) { out[0] = -y[0]; };
  const std::vector<double> one = {1}, whole = {0, 5};
  for (const auto method : {dormand_prince, bulirsch_stoer, rosenbrock, rk4, backward_euler}) {
    EvolveOptions options;
    options.method = method;
    options.step = method == rk4 || method == backward_euler ? 0.001 : 0;
    const auto confirmed = evolve(decay, one, whole, true, options);
    options.confirm = false;
    const auto single = evolve(decay, one, whole, true, options);
    CAPTURE(name_of(method));
    REQUIRE(confirmed.error.size() == confirmed.y.size());
    CHECK(confirmed.error[0] == 0);
    CHECK_FALSE(confirmed.uncertain_from);
    for (std::size_t i = 0; i < confirmed.t.size(); ++i)
      CHECK(std::fabs(confirmed.y[i] - std::exp(-confirmed.t[i])) <= 1.5 * confirmed.error[i] + 1e-16);
    CHECK(single.error.empty());
    CHECK(single.y == confirmed.y);
    CHECK(single.evaluations < confirmed.evaluations);
  }
}

TEST_CASE("the state at a stop has an error that covers the time of the stop") {
  const auto fall = [](double, std::span<const double> y, std::span<double> out) {
    out[0] = y[1];
    out[1] = -9.81 - 0.1 * y[1] * std::fabs(y[1]);
  };
  EvolveOptions exact, options;
  exact.relative = {1e-13};
  options.relative = {1e-4};
  options.events = {{[](double, std::span<const double> y) { return y[0]; }, 0, true}};
  for (const bool own : {false, true}) {
    const auto t = own ? std::vector<double>{0, 20} : equal_times(0, 20, 21);
    const auto run = evolve(fall, std::vector<double>{100, 0}, t, own, options);
    REQUIRE(run.stopped_at);
    const auto right =
        evolve(fall, std::vector<double>{100, 0}, std::vector<double>{0, *run.stopped_at}, false, exact);
    for (std::size_t k = 0; k < 2; ++k) {
      const auto at = run.y.size() - 2 + k;
      CHECK(std::fabs(run.y[at] - right.y[2 + k]) <= 3 * run.error[at]);
      CHECK(run.error[at] < 0.1);
    }
  }
}

TEST_CASE("a solution that only just touches what stops it is not sure of that") {
  // A height of 1 + cos(t) + 1e-9 never becomes 0; solved roughly it may.
  int stopped = 0;
  for (int k = 0; k < 20; ++k) {
    EvolveOptions options;
    options.relative = {1e-3};
    const double lift = (k - 10) * 1e-4;
    options.events = {{[&](double, std::span<const double> y) { return 1 + y[0] + lift; }, 0, true}};
    const auto run = evolve(
        [](double, std::span<const double> y, std::span<double> out) {
          out[0] = y[1];
          out[1] = -y[0];
        },
        std::vector<double>{1, 0}, equal_times(0, 6, 7), false, options);
    CAPTURE(lift);
    if (!run.stopped_at) continue;
    ++stopped;
    if (lift > 0) CHECK(run.uncertain_from);
  }
  CHECK(stopped > 0);
}

TEST_CASE("without absolute tolerances the result is the same in every unit") {
  for (const auto method : {dormand_prince, bulirsch_stoer, rosenbrock}) {
    std::vector<double> first;
    for (const double unit : {1e-12, 1.0, 1e12}) {
      EvolveOptions options;
      options.method = method;
      // Begins at rest and is pushed, so that its size is not known at the start.
      const auto run = evolve(
          [&](double t, std::span<const double> y, std::span<double> out) {
            out[0] = y[1];
            out[1] = -y[0] + unit * t * t;
          },
          std::vector<double>{0, 0}, equal_times(0, 20, 21), false, options);
      CHECK_FALSE(run.uncertain_from);
      std::vector<double> relative;
      for (const double y : run.y) relative.push_back(y / unit);
      if (first.empty()) first = relative;
      for (std::size_t i = 2; i < relative.size(); ++i) {
        const double t = run.t[i / 2];
        const double exact = i % 2 == 0 ? t * t - 2 + 2 * std::cos(t) : 2 * t - 2 * std::sin(t);
        CHECK(relative[i] == Approx(exact).epsilon(1e-4).margin(1e-4));
        CHECK(relative[i] == Approx(first[i]).epsilon(1e-6));
      }
    }
  }
}
