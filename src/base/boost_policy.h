// Error policy for Boost.Math: nan and infinities instead of exceptions, and a flag for missing convergence.
#pragma once

#include <boost/math/policies/error_handling.hpp>
#include <boost/math/policies/policy.hpp>
#include <limits>

namespace quill {

namespace boost_policies = boost::math::policies;
using BoostPolicy =
    boost_policies::policy<boost_policies::domain_error<boost_policies::ignore_error>,
                           boost_policies::pole_error<boost_policies::ignore_error>,
                           boost_policies::overflow_error<boost_policies::ignore_error>,
                           boost_policies::underflow_error<boost_policies::ignore_error>,
                           boost_policies::evaluation_error<boost_policies::user_error>,
                           boost_policies::rounding_error<boost_policies::ignore_error>,
                           boost_policies::indeterminate_result_error<boost_policies::ignore_error>,
                           boost_policies::promote_double<true>,
                           boost_policies::discrete_quantile<boost_policies::integer_round_up>>;

// Set when a series or an iteration of Boost.Math does not converge. The library then returns an unfinished
// result, which must not be used.
inline thread_local bool boost_gave_up = false;

// Result of a Boost.Math function; nan if it did not converge.
template <class F>
double unless_given_up(F function) {
  boost_gave_up = false;
  const double value = function();
  return boost_gave_up ? std::numeric_limits<double>::quiet_NaN() : value;
}

}  // namespace quill

namespace boost::math::policies {

template <class T>
T user_evaluation_error(const char* /*function*/, const char* /*message*/, const T& value) {
  quill::boost_gave_up = true;
  return value;
}

}  // namespace boost::math::policies
