// Figures of statistics and spectra: points, cells and titles stand for what was computed.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>

#include "support/program.h"
#include "support/script.h"
#include "support/watched.h"

using namespace quill;
using namespace quill::test;

namespace {

Panel panel_of(const std::string& script) {
  const TemporaryFolder folder;
  folder.write("layers.eq", script);
  return figures_of(folder.path() + "/layers.eq").at(0).figure.panels.at(0);
}

}  // namespace

TEST_CASE("quantiles of a sample of the distribution itself lie on the line and in the band") {
  const auto panel = panel_of(
      "d = distribution(\"weibull\", shape: 2, scale: 3)\nv = d.quantile(((1..99) - 1/3) / (99 + 1/3))\n"
      "figure(\"q\") { quantile_plot(v, d, color: \"#123456\") }");
  REQUIRE(panel.layers.size() == 3);
  const auto& band = panel.layers[0];
  const auto& line = panel.layers[1];
  const auto& points = panel.layers[2];
  CHECK(band.kind == Layer::Kind::region);
  CHECK(line.x == line.y);
  REQUIRE(points.x.size() == 99);
  for (std::size_t k = 0; k < 99; ++k) CHECK(points.y[k] == Approx(points.x[k]).epsilon(1e-9));
  for (std::size_t k = 0; k < band.x.size(); ++k) {
    CHECK(band.low[k] < band.x[k]);
    CHECK(band.x[k] < band.high[k]);
  }
  CHECK(points.x_name == "weibull(2, 3) quantiles");
  CHECK(points.y_name == "sample quantiles");
  CHECK(points.color == parse_color("#123456"));
}

TEST_CASE(
    "a sample is compared with a normal distribution of its mean and deviation, or with another sample") {
  const auto fitted = panel_of("figure(\"q\") { quantile_plot([5, nan, 1, 3], skip_nan: true) }");
  CHECK(fitted.layers[2].y == std::vector<double>{1, 3, 5});
  CHECK(fitted.layers[2].x[1] == Approx(3));
  CHECK(fitted.layers[2].x_name == "normal quantiles");
  const auto other = panel_of("figure(\"q\") { quantile_plot([1, 2, 3], [20, 40, 60, 80, 100]) }");
  REQUIRE(other.layers.size() == 2);
  CHECK(other.layers[1].x == std::vector<double>{20, 60, 100});
  CHECK(other.layers[1].y == std::vector<double>{1, 2, 3});
  check_errors(
      {{"figure(\"q\") { quantile_plot([1, 1]) }", "quantile_plot: `data` must have elements that differ",
        ""},
       {"figure(\"q\") { quantile_plot([1]) }", "quantile_plot: `data` must have at least 2 elements, not 1",
        ""},
       {"figure(\"q\") { quantile_plot([1, nan]) }", "quantile_plot: `data` contains nan at position 2",
        "skip_nan: true leaves nan elements out"}});
}

TEST_CASE("heatmaps draw the records of joint histograms, spectrograms and wavelets") {
  const auto joint = panel_of(
      "figure(\"j\") { heatmap(joint_histogram([1, 2, 2], [5, 6, 6], bins: ([0, 1.5, 3], [4, 5.5, 7, 8]))) "
      "}");
  const auto& cells = joint.layers.at(0);
  CHECK(cells.x == std::vector<double>{0, 1.5, 3});
  CHECK(cells.y == std::vector<double>{4, 5.5, 7, 8});
  CHECK(cells.z == std::vector<double>{1, 0, 0, 2, 0, 0});
  CHECK(cells.z_name == "count");

  // A tone of period 8 samples at 2 samples a second.
  const auto tone = panel_of(
      "y = sin(2*pi*(0..1023) / 8)\nfigure(\"s\") { heatmap(spectrogram(y, spacing: 0.5, length: 128)) }");
  const auto& map = tone.layers.at(0);
  const auto columns = map.x.size() - 1;
  for (std::size_t c = 0; c < columns; ++c) {
    std::size_t best = 1;
    for (std::size_t r = 2; r + 1 < map.y.size(); ++r)
      if (map.z[r * columns + c] > map.z[best * columns + c]) best = r;
    CHECK(map.y[best] < 0.25);
    CHECK(map.y[best + 1] > 0.25);
  }
  CHECK(map.x_name == "time");
  CHECK(map.y_name == "frequency");

  const auto waves = panel_of("figure(\"w\") { heatmap(wavelet_power(sin(2*pi*(0..255) / 16))) }");
  const auto& power = waves.layers.at(0);
  CHECK(power.x.size() == 257);
  std::size_t best = 0;
  for (std::size_t r = 1; r + 1 < power.y.size(); ++r)
    if (power.z[r * 256 + 128] > power.z[best * 256 + 128]) best = r;
  CHECK(power.y[best] < 16);
  CHECK(power.y[best + 1] > 16);
  check_errors(
      {{"figure(\"h\") { heatmap((a: 1)) }",
        "heatmap: `x` must be a matrix, or a record of joint_histogram, spectrogram or wavelet_power", ""}});
}
