#include "builtins/sample_argument.h"

#include <fmt/format.h>

#include <cmath>

#include "base/number.h"

namespace quill {

namespace sample_arguments {
namespace {

void check_finite(const Call& call, std::size_t i, const std::vector<double>& v) {
  for (std::size_t k = 0; k < v.size(); ++k) {
    if (std::isnan(v[k]))
      call.fail_argument(i, fmt::format("contains nan at position {}", k + 1),
                         "skip_nan: true leaves nan elements out");
    if (std::isinf(v[k]))
      call.fail_argument(i, fmt::format("contains {} at position {}", shortest(v[k]), k + 1));
  }
}

}  // namespace
}  // namespace sample_arguments

std::vector<double> sample_argument(const Call& call, std::size_t i, bool skip_nan) {
  auto out = call.vector(i).to_vector<double>();
  if (skip_nan) std::erase_if(out, [](double x) { return std::isnan(x); });
  sample_arguments::check_finite(call, i, out);
  return out;
}

std::pair<std::vector<double>, std::vector<double>> pairs_argument(const Call& call, std::size_t i,
                                                                   std::size_t j, bool skip_nan) {
  auto a = call.vector(i).to_vector<double>(), b = call.vector(j).to_vector<double>();
  if (a.size() != b.size())
    call.fail_argument(j, fmt::format("must have as many elements as `{}`, {}; not {}",
                                      call.row.parameters[i].name, a.size(), b.size()));
  if (skip_nan) {
    std::size_t to = 0;
    for (std::size_t k = 0; k < a.size(); ++k)
      if (!std::isnan(a[k]) && !std::isnan(b[k])) {
        a[to] = a[k];
        b[to++] = b[k];
      }
    a.resize(to);
    b.resize(to);
  }
  sample_arguments::check_finite(call, i, a);
  sample_arguments::check_finite(call, j, b);
  return {std::move(a), std::move(b)};
}

double confidence_argument(const Call& call, std::size_t i) {
  const double c = call.number_or(i, 0.95);
  if (!(c > 0 && c < 1)) call.fail_argument(i, fmt::format("must be between 0 and 1, not {}", shortest(c)));
  return c;
}

}  // namespace quill
