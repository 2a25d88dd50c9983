// Ticks of axes: positions and labels.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace quill {

struct Ticks {
  std::vector<double> positions;
  std::vector<std::string> labels;  // one format along the axis; may hold mathematical text in $…$
  std::string common;               // what they leave out: a power of ten, a number to be added
  double step = 0;
  std::vector<double> minor;  // small ticks between them
};

// About `wanted` round positions inside [low, high], chosen by simplicity, coverage and density
// (J. Talbot, S. Lin, P. Hanrahan, IEEE Trans. Vis. Comput. Graph. 16, 2010). low < high, both finite.
Ticks linear_ticks(double low, double high, double wanted);

// The same at integers alone, for what is counted.
Ticks whole_ticks(double low, double high, double wanted);

// Labels for given positions, with as many decimals as tell them apart, each a number by itself.
std::vector<std::string> tick_labels(const std::vector<double>& positions);

// The same along an axis, where a power of ten, and the leading digits when many of them are equal, are said
// once: "×10⁶", "+ 1.2003×10⁹".
struct TickTexts {
  std::vector<std::string> labels;
  std::string common;
};
TickTexts tick_texts(const std::vector<double>& positions);

// Ticks of a logarithmic axis between two positive numbers: powers of ten, with 2 and 5 between them when the
// range is short; small ticks at the other whole multiples.
Ticks log_ticks(double low, double high, double wanted);

// Ticks of an axis that is linear up to about `unit` around 0 and logarithmic beyond, for both signs: powers
// of ten and 0.
Ticks signed_log_ticks(double low, double high, double unit, double wanted);

// The positions in a format of the language: ".2f", "e", "g"; nothing when it is none.
std::optional<std::vector<std::string>> formatted_labels(const std::vector<double>& positions,
                                                         const std::string& format);

}  // namespace quill
