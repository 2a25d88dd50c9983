// Draws from distributions: Boost.Random's methods on the bits of the stream, the same on every platform.
#include <boost/random/binomial_distribution.hpp>
#include <boost/random/exponential_distribution.hpp>
#include <boost/random/gamma_distribution.hpp>
#include <boost/random/poisson_distribution.hpp>
#include <cmath>

#include "base/interrupt.h"
#include "numerics/distributions.h"

namespace quill {

namespace distribution_draws {
namespace {

using enum DistributionKind;

double gamma_of(RandomStream& random, double shape, double scale) {
  RandomBits bits{random};
  return boost::random::gamma_distribution<double>(shape, scale)(bits);
}

// Logarithm of a gamma variate: for small shapes the variate itself may underflow (G. Marsaglia, W. Tsang,
// ACM Trans. Math. Softw. 26, 2000, section 6).
double log_gamma_of(RandomStream& random, double shape) {
  if (shape >= 0.5) return std::log(gamma_of(random, shape, 1));
  const double larger = gamma_of(random, shape + 1, 1);
  return std::log(larger) + std::log1p(-random.uniform()) / shape;
}

double beta_of(RandomStream& random, double a, double b) {
  const double u = log_gamma_of(random, a), v = log_gamma_of(random, b);
  return 1 / (1 + std::exp(v - u));
}

double binomial_of(RandomStream& random, double count, double probability) {
  // The library takes fractions from 0 to 1/2 best, and loops over no trials.
  if (count == 0 || probability == 0) return 0;
  if (probability > 0.5) return count - binomial_of(random, count, 1 - probability);
  RandomBits bits{random};
  const auto n = static_cast<Index>(count);
  return static_cast<double>(boost::random::binomial_distribution<Index, double>(n, probability)(bits));
}

}  // namespace
}  // namespace distribution_draws

double Distribution::draw(RandomStream& random) const {
  using namespace distribution_draws;
  const double a = parameters_[0], b = parameters_.size() > 1 ? parameters_[1] : 0;
  RandomBits bits{random};
  switch (kind_) {
    case normal: return a + b * random.normal();
    case log_normal: return std::exp(a + b * random.normal());
    case uniform: return a + (b - a) * random.uniform();
    case exponential: return a * boost::random::exponential_distribution<double>(1)(bits);
    case gamma: return gamma_of(random, a, b);
    case chi_squared: return gamma_of(random, a / 2, 2);
    case beta: return beta_of(random, a, b);
    case student_t: {
      const double z = random.normal();
      return z / std::sqrt(gamma_of(random, a / 2, 2) / a);
    }
    case f: {
      const double top = gamma_of(random, a / 2, 2) / a;
      return top / (gamma_of(random, b / 2, 2) / b);
    }
    case weibull: return b * std::pow(boost::random::exponential_distribution<double>(1)(bits), 1 / a);
    case poisson: return static_cast<double>(boost::random::poisson_distribution<Index, double>(a)(bits));
    case binomial: return binomial_of(random, a, b);
  }
  return NAN;
}

Array Distribution::draw(RandomStream& random, const Shape& shape) const {
  Array out(ElementType::float64, shape);
  double* const to = out.mutable_data<double>();
  for (Index k = 0; k < out.size(); ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    to[k] = draw(random);
  }
  return out;
}

}  // namespace quill
