// Methods for stiff systems, which solve equations with the matrix of derivatives in every step.
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <limits>

#include "numerics/steppers.h"

namespace quill {

namespace {

using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

// Jacobian of the right-hand side at one (t, y), cached.
class Derivatives {
 public:
  Derivatives(CountedSlopes& f, const SlopesByState& jacobian) : f_(f), jacobian_(jacobian) {}
  // For a step of about h.
  void update(const Tolerances& tolerances, const State& y, double t, double h) {
    if (t == t_ && y == y_) return;
    t_ = t;
    y_ = y;
    const auto n = y.size();
    by_state_.resize(n * n);
    by_time_.resize(n);
    State here(n), there(n), moved = y;
    f_(y, here, t);
    constexpr double root = 1.5e-8;  // of the distance between numbers
    const double dt = root * std::copysign(std::max(std::fabs(t), std::fabs(h)), h);
    f_(y, there, t + dt);
    for (std::size_t k = 0; k < n; ++k) by_time_[k] = (there[k] - here[k]) / dt;
    if (jacobian_) return jacobian_(t, y, by_state_);
    for (std::size_t c = 0; c < n; ++c) {
      // Scaled by the component's size in the step, at least by a relevant size.
      const double reach = std::max(std::fabs(y[c]), std::fabs(h * here[c]));
      moved[c] = y[c] + std::max(root * reach, 0.01 * tolerances.absolute(c));
      const double exact = moved[c] - y[c];
      f_(moved, there, t);
      for (std::size_t r = 0; r < n; ++r) by_state_[r * n + c] = (there[r] - here[r]) / exact;
      moved[c] = y[c];
    }
  }
  // By the state, row by row, and by the time.
  const State& by_state() const { return by_state_; }
  const State& by_time() const { return by_time_; }

 private:
  CountedSlopes& f_;
  const SlopesByState& jacobian_;
  double t_ = std::numeric_limits<double>::quiet_NaN();
  State y_, by_state_, by_time_;
};

// The coefficients of RODAS (E. Hairer, G. Wanner, Solving ODEs II, 1996, IV.7), in the form whose stages
// need no product with the matrix.
struct Rodas {
  static constexpr int stages = 6;
  static constexpr double gamma = 0.25;
  static constexpr double time[stages] = {0, 0.386, 0.21, 0.63, 1, 1};
  static constexpr double by_time[stages] = {0.25, -0.1043, 0.1035, -0.03620000000000023, 0, 0};
  static constexpr double a[stages][stages - 1] = {
      {},
      {1.544},
      {0.9466785280815826, 0.2557011698983284},
      {3.314825187068521, 2.896124015972201, 0.9986419139977817},
      {1.221224509226641, 6.019134481288629, 12.53708332932087, -0.6878860361058950},
      {1.221224509226641, 6.019134481288629, 12.53708332932087, -0.6878860361058950, 1}};
  static constexpr double c[stages][stages - 1] = {
      {},
      {-5.6688},
      {-2.430093356833875, -0.2063599157091915},
      {-0.1073529058151375, -9.594562251023355, -20.47028614809616},
      {7.496443313967647, -10.24680431464352, -33.99990352819905, 11.70890893206160},
      {8.083246795921522, -7.981132988064893, -31.52159432874371, 16.31930543123136, -6.058818238834054}};
  // Of the polynomial between the ends of a step.
  static constexpr double dense[2][stages - 1] = {
      {10.12623508344586, -7.487995877610167, -34.80091861555747, -7.992771707568823, 1.025137723295662},
      {-0.6762803392801253, 6.087714651680015, 16.43084320892478, 24.76722511418386, -6.594389125716872}};
};

class Rosenbrock : public Stepper {
 public:
  Rosenbrock(CountedSlopes& f, const EvolveOptions& o, Tolerances tolerances, double t, State y)
      : Stepper(f, std::move(tolerances), t, std::move(y)),
        derivatives_(f, o.jacobian),
        stages_(Rodas::stages, y_),
        at_(y_),
        slope_(y_) {}
  int order() const override { return 4; }
  bool advance(double& h) override {
    const auto n = static_cast<Eigen::Index>(y_.size());
    derivatives_.update(tolerances_, y_, t_, h);
    const auto& by_time = derivatives_.by_time();
    const Eigen::PartialPivLU<Rows> factors(Rows::Identity(n, n) / (Rodas::gamma * h) -
                                            Eigen::Map<const Rows>(derivatives_.by_state().data(), n, n));
    for (std::size_t s = 0; s < Rodas::stages; ++s) {
      at_ = y_;
      for (std::size_t j = 0; j < s; ++j)
        for (std::size_t k = 0; k < y_.size(); ++k) at_[k] += Rodas::a[s][j] * stages_[j][k];
      f_(at_, slope_, t_ + Rodas::time[s] * h);
      for (std::size_t k = 0; k < y_.size(); ++k) {
        slope_[k] += h * Rodas::by_time[s] * by_time[k];
        for (std::size_t j = 0; j < s; ++j) slope_[k] += Rodas::c[s][j] / h * stages_[j][k];
      }
      Eigen::Map<Eigen::VectorXd>(stages_[s].data(), n) =
          factors.solve(Eigen::Map<const Eigen::VectorXd>(slope_.data(), n));
    }
    // The last stage is the difference of the two orders.
    for (std::size_t k = 0; k < y_.size(); ++k) at_[k] += stages_.back()[k];
    const double norm = error_norm(stages_.back(), at_), tried = h;
    h = rescaled(h, norm, 0.25);
    if (norm > 1) return false;
    move_to(t_ + tried, at_);
    return true;
  }
  void state_at(double t, State& y) override {
    const double b = (t - before_) / (t_ - before_), a = 1 - b;
    for (std::size_t k = 0; k < y.size(); ++k) {
      double bend = 0;
      for (std::size_t j = 0; j + 1 < Rodas::stages; ++j)
        bend += (Rodas::dense[0][j] + b * Rodas::dense[1][j]) * stages_[j][k];
      y[k] = a * y_before_[k] + b * (y_[k] + a * bend);
    }
  }

 private:
  Derivatives derivatives_;
  std::vector<State> stages_;
  State at_, slope_;
};

class BackwardEuler : public Stepper {
 public:
  BackwardEuler(CountedSlopes& f, const EvolveOptions& o, Tolerances tolerances, double t, State y)
      : Stepper(f, std::move(tolerances), t, std::move(y)),
        derivatives_(f, o.jacobian),
        slope_(y_),
        next_(y_) {}
  bool has_fixed_steps() const override { return true; }
  int order() const override { return 1; }
  // Newton's method with the matrix at the start of the step.
  bool advance(double& h) override {
    const auto n = static_cast<Eigen::Index>(y_.size());
    derivatives_.update(tolerances_, y_, t_, h);
    const Eigen::Map<const Rows> by_state(derivatives_.by_state().data(), n, n);
    const Eigen::PartialPivLU<Rows> factors(Rows::Identity(n, n) - h * by_state);
    next_ = y_;
    Eigen::VectorXd rest(n);
    State change(y_.size());
    constexpr int most_rounds = 30;
    for (int round = 0; round < most_rounds; ++round) {
      f_(next_, slope_, t_ + h);
      for (std::size_t k = 0; k < y_.size(); ++k)
        rest[static_cast<Eigen::Index>(k)] = y_[k] + h * slope_[k] - next_[k];
      const Eigen::VectorXd correction = factors.solve(rest);
      for (std::size_t k = 0; k < y_.size(); ++k) {
        change[k] = correction[static_cast<Eigen::Index>(k)];
        next_[k] += change[k];
      }
      const double norm = error_norm(change, next_);
      if (std::isinf(norm)) return false;
      if (norm < 1e-3) {
        move_to(t_ + h, next_);
        return true;
      }
    }
    return false;
  }
  void state_at(double t, State& y) override {
    const double b = (t - before_) / (t_ - before_);
    for (std::size_t k = 0; k < y.size(); ++k) y[k] = (1 - b) * y_before_[k] + b * y_[k];
  }

 private:
  Derivatives derivatives_;
  State slope_, next_;
};

}  // namespace

std::unique_ptr<Stepper> make_implicit_stepper(CountedSlopes& f, const EvolveOptions& options,
                                               Tolerances tolerances, double t, State y) {
  if (options.method == StepMethod::backward_euler)
    return std::make_unique<BackwardEuler>(f, options, std::move(tolerances), t, std::move(y));
  return std::make_unique<Rosenbrock>(f, options, std::move(tolerances), t, std::move(y));
}

}  // namespace quill
