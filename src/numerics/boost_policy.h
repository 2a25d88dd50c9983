// How Boost.Math reports what it cannot compute: nan and infinities instead of exceptions.
#pragma once

#include <boost/math/policies/policy.hpp>

namespace quill {

namespace boost_policies = boost::math::policies;
using BoostPolicy =
    boost_policies::policy<boost_policies::domain_error<boost_policies::ignore_error>,
                           boost_policies::pole_error<boost_policies::ignore_error>,
                           boost_policies::overflow_error<boost_policies::ignore_error>,
                           boost_policies::underflow_error<boost_policies::ignore_error>,
                           boost_policies::evaluation_error<boost_policies::ignore_error>,
                           boost_policies::rounding_error<boost_policies::ignore_error>,
                           boost_policies::indeterminate_result_error<boost_policies::ignore_error>,
                           boost_policies::promote_double<true>,
                           boost_policies::discrete_quantile<boost_policies::integer_round_up>>;

}  // namespace quill
