// Differential equations against known solutions.
#include "numerics/evolve.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <numeric>

#include "base/error.h"
#include "numerics/steppers.h"

using namespace quill;

namespace {

using enum StepMethod;
constexpr StepMethod kAll[] = {rk4, dormand_prince, bulirsch_stoer, rosenbrock, backward_euler};
constexpr StepMethod kAdaptive[] = {dormand_prince, bulirsch_stoer, rosenbrock};

// y'' = -y with a push that depends on the time; the solution is (cos t + sin(2t), …).
void pushed(double t, std::span<const double> y, std::span<double> out) {
  out[0] = y[1];
  out[1] = -y[0] - 3 * std::sin(2 * t);
}
double position(double t) { return std::cos(t) + std::sin(2 * t); }

std::vector<double> times(double from, double to, int count) {
  std::vector<double> out;
  for (int k = 0; k < count; ++k) out.push_back(from + (to - from) * k / (count - 1));
  return out;
}

Trajectory solved(StepMethod method, const std::vector<double>& t, EvolveOptions options = {}) {
  options.method = method;
  return evolve(pushed, std::vector<double>{position(t[0]), -std::sin(t[0]) + 2 * std::cos(2 * t[0])}, t,
                t.size() == 2, options);
}

double worst(const Trajectory& run) {
  double out = 0;
  for (std::size_t k = 0; k < run.t.size(); ++k)
    out = std::max(out, std::fabs(run.y[2 * k] - position(run.t[k])));
  return out;
}

// The errors after equal steps to t = 2: at the end, and within the steps.
std::pair<double, double> errors_of_steps(StepMethod method, int count) {
  EvolveOptions options;
  options.method = method;
  options.relative = options.absolute = {method == backward_euler ? 1e-9 : 1e9};  // every step is taken
  const Slopes f = pushed;
  CountedSlopes counted{f};
  const auto stepper = make_stepper(counted, options, Tolerances(options, {1, 1}), 0, {1, 2});
  double within = 0;
  State y(2);
  for (int k = 0; k < count; ++k) {
    double h = 2.0 / count;
    REQUIRE(stepper->advance(h));
    for (const double part : {0.25, 0.5, 0.7}) {
      const double t = stepper->before() + part * (stepper->t() - stepper->before());
      stepper->state_at(t, y);
      within = std::max(within, std::fabs(y[0] - position(t)));
    }
  }
  return {std::fabs(stepper->y()[0] - position(2)), within};
}

std::string message_and_hint(const std::function<void()>& f) {
  try {
    f();
  } catch (const Error& error) { return error.message + " / " + error.hint; }
  return "";
}

}  // namespace

TEST_CASE("every step method has its order, at its steps and within them") {
  const auto orders = [](StepMethod method, int count) {
    const auto coarse = errors_of_steps(method, count), fine = errors_of_steps(method, 2 * count);
    return std::pair(std::log2(coarse.first / fine.first), std::log2(coarse.second / fine.second));
  };
  CHECK(orders(rk4, 40).first == Approx(4).margin(0.25));
  CHECK(orders(rk4, 40).second == Approx(4).margin(0.25));
  CHECK(orders(dormand_prince, 20).first > 4.7);
  CHECK(orders(dormand_prince, 40).second > 3.7);
  CHECK(orders(rosenbrock, 40).first == Approx(4).margin(0.35));
  CHECK(orders(rosenbrock, 40).second > 2.7);
  CHECK(orders(backward_euler, 2000).first == Approx(1).margin(0.1));
}

TEST_CASE("errors follow the tolerance, at times that are no steps and forwards and backwards") {
  for (const auto method : kAdaptive) {
    double before = 1;
    for (const double tolerance : {1e-4, 1e-6, 1e-8, 1e-10}) {
      CAPTURE(static_cast<int>(method), tolerance);
      EvolveOptions options;
      options.relative = options.absolute = {tolerance};
      options.longest = INFINITY;
      const auto forth = solved(method, times(0, 10, 137), options);
      CHECK(forth.t.size() == 137);
      CHECK(worst(forth) < 60 * tolerance);
      CHECK(worst(forth) < before);
      before = worst(forth);
      CHECK(worst(solved(method, times(10, 0, 53), options)) < 60 * tolerance);
    }
  }
  EvolveOptions fixed;
  fixed.step = 0.01;
  CHECK(worst(solved(rk4, times(0, 10, 7), fixed)) < 1e-7);
  // Steps that do not divide the times are shortened.
  CHECK(solved(rk4, times(0, 1, 4), fixed).steps == 3 * 34);
}

TEST_CASE("own steps run from the first to the last time and are counted") {
  for (const auto method : kAll) {
    EvolveOptions options;
    options.step = 0.01;
    Index calls = 0;
    options.method = method;
    const auto run = evolve(
        [&](double t, std::span<const double> y, std::span<double> out) {
          ++calls;
          pushed(t, y, out);
        },
        std::vector<double>{1, 2}, std::vector<double>{0, 3}, true, options);
    CHECK(run.t.front() == 0);
    CHECK(run.t.back() == 3);
    CHECK(static_cast<Index>(run.t.size()) == run.steps + 1);
    CHECK(run.evaluations == calls);
    CHECK_FALSE(run.stopped_at);
  }
  // A sudden change makes steps fail.
  const auto sudden = evolve([](double t, std::span<const double>,
                                std::span<double> out) { out[0] = 1 / (1e-6 + (t - 1) * (t - 1)); },
                             std::vector<double>{0}, std::vector<double>{0, 2}, true, {});
  CHECK(sudden.rejected > 0);
  CHECK(sudden.y.back() == Approx(2000 * std::atan(1000)).epsilon(1e-5));
}

TEST_CASE("a solution stops where its function changes sign or its condition comes true") {
  const auto fall = [](double, std::span<const double> y, std::span<double> out) {
    out[0] = y[1];
    out[1] = -9.81;
  };
  const double landing = std::sqrt(2 * 20 / 9.81);
  for (const auto method : kAll)
    for (const bool condition : {false, true}) {
      EvolveOptions options;
      options.method = method;
      options.step = 0.001;
      options.events = {{[&](double, std::span<const double> y) {
                           return condition ? std::copysign(INFINITY, -y[0]) : y[0];
                         },
                         0, true}};
      const auto run = evolve(fall, std::vector<double>{20, 0}, times(0, 10, 21), false, options);
      CAPTURE(static_cast<int>(method), condition);
      REQUIRE(run.stopped_at);
      CHECK(*run.stopped_at == Approx(landing).epsilon(method == backward_euler ? 2e-3 : 1e-9));
      CHECK(run.t.back() == *run.stopped_at);
      CHECK(run.t.size() == 6);  // 0, 0.5, 1, 1.5, 2 and the landing
      CHECK(std::fabs(run.y[10]) < 1e-6);
    }
  // From the ground up: the sign at the start is not a change; a condition that holds at once stops at once.
  EvolveOptions options;
  options.events = {{[](double, std::span<const double> y) { return y[0]; }, 0, true}};
  const auto thrown = evolve(fall, std::vector<double>{0, 10}, std::vector<double>{0, 10}, true, options);
  CHECK(*thrown.stopped_at == Approx(20 / 9.81));
  options.events = {{[](double, std::span<const double>) { return INFINITY; }, 0, true}};
  CHECK(evolve(fall, std::vector<double>{0, 10}, std::vector<double>{0, 10}, true, options).t.size() == 1);
}

TEST_CASE("stiff problems: van der Pol and Robertson, with their invariants and published end values") {
  const auto van_der_pol = [](double, std::span<const double> y, std::span<double> out) {
    out[0] = y[1];
    out[1] = 1000 * (1 - y[0] * y[0]) * y[1] - y[0];
  };
  EvolveOptions options;
  options.method = rosenbrock;
  options.relative = {1e-7};
  const auto run =
      evolve(van_der_pol, std::vector<double>{2, 0}, std::vector<double>{0, 2000}, true, options);
  CHECK(run.y[run.y.size() - 2] == Approx(1.706167732).epsilon(1e-5));
  CHECK(run.steps < 5000);

  const auto robertson = [](double, std::span<const double> y, std::span<double> out) {
    out[0] = -0.04 * y[0] + 1e4 * y[1] * y[2];
    out[2] = 3e7 * y[1] * y[1];
    out[1] = -out[0] - out[2];
  };
  options.absolute = {1e-14};
  const std::vector<double> at = {0, 0.4, 40, 4e3, 4e5, 4e7, 4e9};
  for (const bool given : {false, true}) {
    if (given)
      options.jacobian = [](double, std::span<const double> y, std::span<double> m) {
        const double rows[] = {-0.04,       1e4 * y[2], 1e4 * y[1], 0.04, -1e4 * y[2] - 6e7 * y[1],
                               -1e4 * y[1], 0,          6e7 * y[1], 0};
        std::copy(std::begin(rows), std::end(rows), m.begin());
      };
    const auto mix = evolve(robertson, std::vector<double>{1, 0, 0}, at, false, options);
    CHECK(mix.y[3] == Approx(0.98517).epsilon(1e-5));
    CHECK(mix.y[6] == Approx(0.71583).epsilon(1e-5));
    CHECK(mix.y[9] == Approx(0.18320).epsilon(2e-5));
    CHECK(mix.y[18] == Approx(5.2083e-7).epsilon(1e-4));
    for (std::size_t k = 0; k < at.size(); ++k)
      CHECK(mix.y[3 * k] + mix.y[3 * k + 1] + mix.y[3 * k + 2] == Approx(1).epsilon(1e-9));
    CHECK(mix.steps < 3000);
  }
  // A decay that an explicit step of this length would blow up.
  options = {};
  options.method = backward_euler;
  options.step = 0.1;
  const auto decay =
      evolve([](double, std::span<const double> y, std::span<double> out) { out[0] = -1e6 * y[0]; },
             std::vector<double>{1}, std::vector<double>{0, 1}, true, options);
  CHECK(std::fabs(decay.y.back()) < 1e-40);
}

TEST_CASE("evolutions refuse what they cannot follow") {
  const auto squared = [](double, std::span<const double> y, std::span<double> out) { out[0] = y[0] * y[0]; };
  const std::vector<double> one = {1};
  for (const auto method : kAdaptive) {
    EvolveOptions options;
    options.method = method;
    CHECK(message_and_hint([&] {
            evolve(squared, one, times(0, 2, 5), false, options);
          }).rfind("step size underflow at t = 1: the solution cannot be continued", 0) == 0);
  }
  EvolveOptions options;
  options.method = rk4;
  CHECK(message_and_hint([&] {
          evolve(squared, one, std::vector<double>{0, 2}, true, options);
        }).rfind("the method \"rk4\" has a fixed step", 0) == 0);
  options.step = 0.001;
  CHECK(message_and_hint([&] {
          evolve(squared, one, std::vector<double>{0, 2}, true, options);
        }).find("has no finite result") != std::string::npos);
  CHECK(message_and_hint([&] {
          evolve(squared, one, std::vector<double>{0, 1, 0.5}, false, {});
        }).rfind("the times must be monotonic, but time 3 (0.5) changes direction", 0) == 0);
  CHECK(message_and_hint([&] {
          evolve(squared, one, std::vector<double>{0}, false, {});
        }).rfind("evolve requires at least two times", 0) == 0);
  CHECK(message_and_hint([&] {
          evolve(squared, {}, std::vector<double>{0, 1}, true, {});
        }).rfind("the state is empty", 0) == 0);
  CHECK(message_and_hint([&] {
          evolve([](double, std::span<const double>, std::span<double> out) { out[0] = NAN; }, one,
                 std::vector<double>{0, 1}, true, {});
        }).rfind("the right-hand side is nan for component 1 at the start", 0) == 0);
}

TEST_CASE("a stop at a time asked for has the state of that time") {
  const auto line = [](double, std::span<const double>, std::span<double> out) { out[0] = 1; };
  for (const auto method : kAll)
    for (const double at : {1.0, 2.5, 3.0, 4.0})
      for (const int count : {6, 11, 41}) {
        EvolveOptions options;
        options.method = method;
        options.events = {{[&](double, std::span<const double> y) { return y[0] - at; }, 0, true}};
        const auto run = evolve(line, std::vector<double>{0}, times(0, 5, count), false, options);
        CAPTURE(static_cast<int>(method), at, count);
        REQUIRE(run.stopped_at);
        CHECK(*run.stopped_at == Approx(at).epsilon(1e-12));
        for (std::size_t k = 0; k < run.t.size(); ++k) CHECK(run.y[k] == Approx(run.t[k]).margin(1e-9));
      }
}

TEST_CASE("events are noted in the order of time, with their direction") {
  const double pi = std::acos(-1.0);
  const auto turn = [](double, std::span<const double> y, std::span<double> out) {
    out[0] = y[1];
    out[1] = -y[0];
  };
  for (const auto method : {dormand_prince, bulirsch_stoer, rosenbrock})
    for (const double end : {20.0, -20.0}) {
      EvolveOptions options;
      options.method = method;
      options.relative = options.absolute = {1e-9};
      const auto first = [](double, std::span<const double> y) { return y[0]; };
      const auto second = [](double, std::span<const double> y) { return y[1]; };
      options.events = {{first, 1, false}, {second, 0, false}, {first, -1, false}};
      const auto run = evolve(turn, std::vector<double>{0, 1}, std::vector<double>{0, end}, true, options);
      std::vector<std::size_t> order;
      for (std::size_t k = 0; k < run.found.size(); ++k) {
        const auto& f = run.found[k];
        // Zeros of sin and cos, a quarter of a turn apart.
        CHECK(std::fabs(f.t) == Approx(static_cast<double>(k + 1) * pi / 2).epsilon(1e-6));
        CHECK(f.event == (k % 2 == 0 ? 1 : (k % 4 == 1) == (end > 0) ? 2 : 0));
        CHECK(f.y[0] == Approx(std::sin(f.t)).margin(1e-6));
      }
      CHECK(run.found.size() == 12);
      CHECK_FALSE(run.stopped_at);
    }
}

TEST_CASE("a short pulse is not stepped over where times or a greatest step say how short it may be") {
  const auto pulse = [](double t, std::span<const double>, std::span<double> out) {
    out[0] = t > 500 && t < 501 ? 1 : 0;
  };
  for (const auto method : {dormand_prince, rosenbrock})
    CHECK(evolve(pulse, std::vector<double>{0}, times(0, 1000, 1001), false, {.method = method}).y.back() ==
          Approx(1).epsilon(1e-4));
  for (const auto method : kAdaptive)
    CHECK(evolve(pulse, std::vector<double>{0}, std::vector<double>{0, 1000}, true,
                 {.method = method, .longest = 0.4})
              .y.back() == Approx(1).epsilon(1e-4));
}

TEST_CASE("long steps of high order give dense output at little cost") {
  EvolveOptions options;
  options.relative = options.absolute = {1e-9};
  const auto own = solved(bulirsch_stoer, times(0, 10, 2), options);
  const auto dense = solved(bulirsch_stoer, times(0, 10, 1001), options);
  CAPTURE(own.evaluations, dense.evaluations, worst(dense));
  CHECK(worst(dense) < 1e-7);
  CHECK(dense.evaluations < 6 * own.evaluations);
}

TEST_CASE("tolerances and differences go with each component") {
  // Two copies of one stiff problem in units that differ by 1e15.
  constexpr double unit = 1e-15;
  const auto stiff = [](double t, std::span<const double> y, std::span<double> out) {
    for (std::size_t k = 0; k < 2; ++k) {
      const double u = k == 0 ? 1 : unit, v = y[k] / u;
      out[k] = u * (-1000 * (v - std::cos(t)) * (1 + v * v));
    }
  };
  for (const auto method : {rosenbrock, dormand_prince, bulirsch_stoer}) {
    EvolveOptions options;
    options.method = method;
    options.relative = {1e-7};
    options.absolute = {1e-9, 1e-9 * unit};
    const auto run = evolve(stiff, std::vector<double>{0, 0}, times(0, 1, 5), false, options);
    CAPTURE(static_cast<int>(method), run.steps);
    for (std::size_t k = 0; k < run.t.size(); ++k)
      CHECK(run.y[2 * k + 1] / unit == Approx(run.y[2 * k]).epsilon(1e-6).margin(1e-8));
    if (method == rosenbrock) CHECK(run.steps < 600);
  }
}

TEST_CASE("endless evolutions come to their limit") {
  const auto still = [](double, std::span<const double> y, std::span<double> out) { out[0] = -y[0]; };
  EvolveOptions options;
  options.limit = 1000;
  options.longest = 1e-6;
  const std::vector<double> one = {1}, whole = {0, 1};
  for (const auto method : kAdaptive) {
    options.method = method;
    CHECK(message_and_hint([&] { evolve(still, one, whole, true, options); }).rfind("after 1", 0) == 0);
  }
  options.method = rk4;
  options.step = 1e-12;
  CHECK(message_and_hint([&] {
          evolve(still, one, whole, true, options);
        }).rfind("steps of 1e-12 need ", 0) == 0);
}
