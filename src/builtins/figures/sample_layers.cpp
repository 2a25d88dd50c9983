// Layers that compare samples.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "builtins/arguments.h"
#include "builtins/distributions.h"
#include "builtins/figures/drawing.h"
#include "builtins/figures/layer_arguments.h"
#include "builtins/sample_argument.h"
#include "builtins/tables.h"
#include "numerics/quantile_comparison.h"

namespace quill {

namespace sample_layers_calls {
namespace {

// Colour of the reference: visible on light and dark paper.
constexpr Color kReference = {0.5, 0.5, 0.5};

std::vector<double> sample_of(const Call& call, std::size_t i) {
  const auto skip_nan = location_of(call, "skip_nan");
  auto sample = sample_argument(call, i, skip_nan && call.boolean_or(*skip_nan, false));
  if (sample.size() < 2)
    call.fail_argument(i, fmt::format("must have at least 2 elements, not {}", sample.size()));
  return sample;
}

Distribution fitted_normal(const Call& call, const std::vector<double>& sample) {
  const auto [low, high] = std::minmax_element(sample.begin(), sample.end());
  if (*low == *high) call.fail_argument(0, "must have elements that differ");
  return {DistributionKind::normal, fit_distribution(DistributionKind::normal, sample, NAN).parameters};
}

// "student_t(3)"
std::string named(const Distribution& d) {
  std::string out(family_of(d.kind()).name);
  const char* before = "(";
  for (const double p : d.parameters()) {
    out += before + with_digits(p, 4);
    before = ", ";
  }
  return out + ")";
}

// The reference for the sample, and the title of its axis.
QuantileComparison comparison(const Call& call, std::vector<double> sample, std::string& title) {
  const double confidence = confidence_argument(call, 2);
  if (!call.given(1) || call.value(1).is(Kind::none)) {
    title = "normal quantiles";
    const auto d = fitted_normal(call, sample);
    return compare_quantiles(std::move(sample), d, confidence);
  }
  if (const auto* const d = distribution_in(call.value(1))) {
    title = named(*d) + " quantiles";
    return compare_quantiles(std::move(sample), *d, confidence);
  }
  const auto name = titled(call.label(1));
  title = name.empty() ? "quantiles of the other sample" : name;
  return compare_quantiles(std::move(sample), sample_of(call, 1));
}

Value quantile_row(Call& call) {
  return drawn(call, [&](Panel& panel) {
    Layer points;
    points.kind = Layer::Kind::scatter;
    points.marker = Marker::ring;
    points.size = 4;
    set_looks(call, points);
    points.label = labels_for(call, 1)[0];
    std::string title;
    auto c = comparison(call, sample_of(call, 0), title);
    name_axes(points, nullptr, call.label(0));
    points.x_name = title;
    if (points.y_name.empty()) points.y_name = "sample quantiles";
    if (!c.at.empty()) {
      Layer band;
      band.kind = Layer::Kind::region;
      band.opacity = 0.2;
      band.color = kReference;
      band.order = points.order;
      band.x = std::move(c.at);
      band.low = std::move(c.low);
      band.high = std::move(c.high);
      panel.layers.push_back(std::move(band));
    }
    Layer equal;
    equal.dash = Dash::dashed;
    equal.width = 1;
    equal.color = kReference;
    equal.order = points.order;
    equal.x = equal.y = {c.expected.front(), c.expected.back()};
    panel.layers.push_back(std::move(equal));
    points.x = std::move(c.expected);
    points.y = std::move(c.seen);
    panel.layers.push_back(std::move(points));
  });
}

}  // namespace
}  // namespace sample_layers_calls

std::vector<Builtin> sample_layer_rows() {
  using namespace sample_layers_calls;
  using namespace layer_parameters;  // NOLINT
  auto marker = kMarker, size = kSize;
  marker.fallback = "\"ring\"";
  size.fallback = "4";
  return {{
      .name = "quantile_plot",
      .family = kFamily,
      .summary = "Draw the quantiles of a sample against those of a distribution or of another sample.",
      .parameters = {{"data", "vector of numbers", ""},
                     {"against", "a distribution, or another sample", "normal, fitted to the data"},
                     {"confidence",
                      "probability with which each point of a sample of the distribution lies in the band",
                      "0.95"},
                     kLabel,
                     kColor,
                     marker,
                     size,
                     kOpacity,
                     kOrder,
                     {"skip_nan", "whether nan elements are left out", "false"}},
      .returns = kNothing,
      .errors = "if data are nan; if there are fewer than two",
      .source = "M. B. Wilk, R. Gnanadesikan, Biometrika 55, 1968; band from beta distributions of order "
                "statistics, wider than necessary for a distribution that was fitted to the data",
      .example = "seed(7)\nfigure(\"tails\") {\n    quantile_plot(exp(random_normal(200)))\n}",
      .run = quantile_row,
  }};
}

}  // namespace quill
