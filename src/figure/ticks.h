// Where the ticks of a linear axis stand and what they say.
#pragma once

#include <string>
#include <vector>

namespace quill {

struct Ticks {
  std::vector<double> positions;
  std::vector<std::string> labels;  // one format along the axis; may hold mathematical text in $…$
  double step = 0;
};

// About `wanted` round positions inside [low, high], chosen by simplicity, coverage and density
// (J. Talbot, S. Lin, P. Hanrahan, IEEE Trans. Vis. Comput. Graph. 16, 2010). low < high, both finite.
Ticks linear_ticks(double low, double high, double wanted);

// Labels for given positions, with as many decimals as tell them apart.
std::vector<std::string> tick_labels(const std::vector<double>& positions);

// Limits around data: a little wider than the data; sensible ones for a single value or none.
struct Limits {
  double low = 0, high = 1;
  bool operator==(const Limits&) const = default;
};
Limits padded_limits(double low, double high);

}  // namespace quill
