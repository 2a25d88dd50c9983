// Published test problems for differential equations, and solutions in higher precision to measure against.
#pragma once

#include <boost/numeric/odeint/integrate/integrate_times.hpp>
#include <boost/numeric/odeint/stepper/controlled_runge_kutta.hpp>
#include <boost/numeric/odeint/stepper/generation.hpp>
#include <boost/numeric/odeint/stepper/runge_kutta_fehlberg78.hpp>
#include <cmath>
#include <functional>
#include <span>
#include <string>
#include <vector>

namespace quill::test {

using Real = long double;
using RealState = std::vector<Real>;

struct EvolutionProblem {
  std::string name;
  std::vector<double> start;
  double end;
  std::function<void(Real t, const RealState& y, RealState& out)> f;
  double begin = 0;

  // In double precision, as the program solves it.
  void slopes(double t, std::span<const double> y, std::span<double> out) const {
    const RealState at(y.begin(), y.end());
    RealState slope(y.size());
    f(t, at, slope);
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = static_cast<double>(slope[k]);
  }
  // In long double precision, by steps of orders 7 and 8 (E. Fehlberg, 1968).
  std::vector<std::vector<double>> solution(const std::vector<double>& times) const {
    namespace odeint = boost::numeric::odeint;
    RealState y(start.begin(), start.end());
    std::vector<std::vector<double>> out;
    const auto stepper =
        odeint::make_controlled<odeint::runge_kutta_fehlberg78<RealState, Real>>(Real(1e-17), Real(1e-15));
    std::vector<Real> at(times.begin(), times.end());
    odeint::integrate_times(
        stepper, [&](const RealState& s, RealState& slope, Real t) { f(t, s, slope); }, y, at.begin(),
        at.end(), Real(1e-6), [&](const RealState& s, Real) { out.emplace_back(s.begin(), s.end()); });
    return out;
  }
};

// The set of T. E. Hull, W. H. Enright, B. M. Fellen, A. E. Sedgwick, Comparing numerical methods for
// ordinary differential equations, 1972, without C5, which needs a table of masses.
inline std::vector<EvolutionProblem> detest() {
  const auto first = [](std::size_t n) {
    std::vector<double> out(n, 0.0);
    out[0] = 1;
    return out;
  };
  const auto heat = [](Real, const RealState& y, RealState& d) {
    for (std::size_t k = 0; k < y.size(); ++k)
      d[k] = -2 * y[k] + (k > 0 ? y[k - 1] : 0) + (k + 1 < y.size() ? y[k + 1] : 0);
  };
  std::vector<EvolutionProblem> out = {
      {"A1", {1}, 20, [](Real, auto& y, auto& d) { d[0] = -y[0]; }},
      {"A2", {1}, 20, [](Real, auto& y, auto& d) { d[0] = -y[0] * y[0] * y[0] / 2; }},
      {"A3", {1}, 20, [](Real t, auto& y, auto& d) { d[0] = y[0] * std::cos(t); }},
      {"A4", {1}, 20, [](Real, auto& y, auto& d) { d[0] = y[0] / 4 * (1 - y[0] / 20); }},
      {"A5", {4}, 20, [](Real t, auto& y, auto& d) { d[0] = (y[0] - t) / (y[0] + t); }},
      {"B1",
       {1, 3},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = 2 * (y[0] - y[0] * y[1]);
         d[1] = -(y[1] - y[0] * y[1]);
       }},
      {"B2",
       {2, 0, 1},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = -y[0] + y[1];
         d[1] = y[0] - 2 * y[1] + y[2];
         d[2] = y[1] - y[2];
       }},
      {"B3",
       {1, 0, 0},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = -y[0];
         d[1] = y[0] - y[1] * y[1];
         d[2] = y[1] * y[1];
       }},
      {"B4",
       {3, 0, 0},
       20,
       [](Real, auto& y, auto& d) {
         const Real r = std::hypot(y[0], y[1]);
         d[0] = -y[1] - y[0] * y[2] / r;
         d[1] = y[0] - y[1] * y[2] / r;
         d[2] = y[0] / r;
       }},
      {"B5",
       {0, 1, 1},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = y[1] * y[2];
         d[1] = -y[0] * y[2];
         d[2] = Real(-0.51) * y[0] * y[1];
       }},
      {"C1", first(10), 20,
       [](Real, auto& y, auto& d) {
         for (std::size_t k = 0; k < 10; ++k) d[k] = (k > 0 ? y[k - 1] : 0) - (k < 9 ? y[k] : 0);
       }},
      {"C2", first(10), 20,
       [](Real, auto& y, auto& d) {
         for (std::size_t k = 0; k < 10; ++k)
           d[k] = (k > 0 ? Real(k) * y[k - 1] : 0) - (k < 9 ? Real(k + 1) * y[k] : 0);
       }},
      {"C3", first(10), 20, heat},
      {"C4", first(51), 20, heat},
      {"E1",
       {0.6713967071418030, 0.09540051444747446},
       20,
       [](Real t, auto& y, auto& d) {
         const Real u = t + 1;
         d[0] = y[1];
         d[1] = -(y[1] / u + (1 - Real(0.25) / (u * u)) * y[0]);
       }},
      {"E2",
       {2, 0},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = y[1];
         d[1] = (1 - y[0] * y[0]) * y[1] - y[0];
       }},
      {"E3",
       {0, 0},
       20,
       [](Real t, auto& y, auto& d) {
         d[0] = y[1];
         d[1] = y[0] * y[0] * y[0] / 6 - y[0] + 2 * std::sin(Real(2.78535) * t);
       }},
      {"E4",
       {30, 0},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = y[1];
         d[1] = Real(0.032) - Real(0.4) * y[1] * y[1];
       }},
      {"E5",
       {0, 0},
       20,
       [](Real t, auto& y, auto& d) {
         d[0] = y[1];
         d[1] = std::sqrt(1 + y[1] * y[1]) / (25 - t);
       }},
  };
  for (int k = 1; k <= 5; ++k) {
    const double e = 0.2 * k - 0.1;
    out.push_back({"D" + std::to_string(k),
                   {1 - e, 0, 0, std::sqrt((1 + e) / (1 - e))},
                   20,
                   [](Real, auto& y, auto& d) {
                     const Real r = std::hypot(y[0], y[1]), r3 = r * r * r;
                     d[0] = y[2];
                     d[1] = y[3];
                     d[2] = -y[0] / r3;
                     d[3] = -y[1] / r3;
                   }});
  }
  return out;
}

// Stiff problems of W. H. Enright, T. E. Hull, B. Lindberg, Comparing numerical methods for stiff systems of
// ODEs, 1975, as far as an explicit method in higher precision can follow them, and the problem of
// A. Prothero and A. Robinson, 1974.
inline std::vector<EvolutionProblem> stiff_problems() {
  return {
      {"A1",
       {1, 1, 1, 1},
       20,
       [](Real, auto& y, auto& d) {
         const Real rate[] = {Real(0.5), 1, 100, 90};
         for (std::size_t k = 0; k < 4; ++k) d[k] = -rate[k] * y[k];
       }},
      {"A3",
       {1, 1, 1, 1},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = -1e4L * y[0] + 100 * y[1] - 10 * y[2] + y[3];
         d[1] = -1e3L * y[1] + 10 * y[2] - 10 * y[3];
         d[2] = -y[2] + 10 * y[3];
         d[3] = -0.1L * y[3];
       }},
      {"B1",
       {1, 0, 1, 0},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = -y[0] + y[1];
         d[1] = -100 * y[0] - y[1];
         d[2] = -100 * y[2] + y[3];
         d[3] = -10000 * y[2] - 100 * y[3];
       }},
      {"C1",
       {1, 1, 1, 1},
       20,
       [](Real, auto& y, auto& d) {
         d[0] = -y[0] + y[1] * y[1] + y[2] * y[2] + y[3] * y[3];
         d[1] = -10 * y[1] + 10 * (y[2] * y[2] + y[3] * y[3]);
         d[2] = -40 * y[2] + 40 * y[3] * y[3];
         d[3] = -100 * y[3] + 2;
       }},
      {"D1",
       {0, 0, 0},
       400,
       [](Real, auto& y, auto& d) {
         d[0] = 0.2L * (y[1] - y[0]);
         d[1] = 10 * y[0] - (60 - 0.125L * y[2]) * y[1] + 0.125L * y[2];
         d[2] = 1;
       }},
      {"D4",
       {1, 1, 0},
       50,
       [](Real, auto& y, auto& d) {
         d[0] = -0.013L * y[0] - 1000 * y[0] * y[2];
         d[1] = -2500 * y[1] * y[2];
         d[2] = -0.013L * y[0] - 1000 * y[0] * y[2] - 2500 * y[1] * y[2];
       }},
      {"E2",
       {2, 0},
       1,
       [](Real, auto& y, auto& d) {
         d[0] = y[1];
         d[1] = 5 * (1 - y[0] * y[0]) * y[1] - y[0];
       }},
      {"E3",
       {1, 1, 0},
       500,
       [](Real, auto& y, auto& d) {
         d[0] = -(55 + y[2]) * y[0] + 65 * y[1];
         d[1] = 0.0785L * (y[0] - y[1]);
         d[2] = 0.1L * y[0];
       }},
      {"robertson",
       {1, 0, 0},
       40,
       [](Real, auto& y, auto& d) {
         d[0] = -0.04L * y[0] + 1e4L * y[1] * y[2];
         d[2] = 3e7L * y[1] * y[1];
         d[1] = -d[0] - d[2];
       }},
      {"prothero_robinson",
       {0},
       10,
       [](Real t, auto& y, auto& d) { d[0] = -1000 * (y[0] - std::sin(t)) + std::cos(t); }},
  };
}

}  // namespace quill::test
