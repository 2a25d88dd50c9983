// Results follow the scale of the data: a call with data times k gives its result times a power of k.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>

#include "support/script.h"
#include "value/value.h"

using namespace quill;
using namespace quill::test;

namespace {

struct Scaled {
  std::string call;
  int power;  // of k
  double tolerance = 1e-9;
};

// Data x, y and m in the unit k over times t; one in ten of z is nan.
const std::string kData =
    "seed(3)\nt = 0..79\nx = k * (random_normal(80) + 0.1 * t)\ny = k * (0.5 * random_normal(80) + sin(t / "
    "5))\n"
    "m = k * random_normal(80, 3)\nz = x\nz[5..75 by 10] = nan\ngroups = reshape(repeat([1, 2, 3, 4], 20), "
    "80)\n"
    "table_of = (u: x, v: y, w: x + y + k * random_normal(80))\n";

const std::vector<Scaled> kCalls = {
    {"mean(x)", 1},
    {"median(x)", 1},
    {"std(x)", 1},
    {"variance(x)", 2},
    {"quantile(x, [0.1, 0.9])", 1},
    {"quantile(x, 0.3, weights: 1..80)", 1},
    {"skewness(x)", 0},
    {"kurtosis(x)", 0},
    {"rms(x)", 1},
    {"covariance(m)", 2},
    {"correlation(m)", 0},
    {"t_test(x, y).p", 0},
    {"t_test(x, y).interval", 1},
    {"t_test(x, y, paired: true).statistic", 0},
    {"rank_test(x, y).p", 0},
    {"rank_test(x, y).estimate", 1},
    {"signed_rank_test(x, y).p", 0},
    {"variance_test(x, y).interval", 0},
    {"anova(x, groups).p", 0},
    {"normality_test(x).statistic", 0},
    {"correlation_test(x, y).interval", 0},
    {"correlation_test(x, y, method: \"kendall\").p", 0},
    {"permutation_test(fn(a, b) = mean(a) - mean(b), x, y, draws: 200).p", 0},
    {"bootstrap(mean, x, draws: 200).interval", 1},
    {"bootstrap(std, x, draws: 200).standard_error", 1},
    {"ranks(x)", 0},
    {"fit_distribution(\"normal\", x).parameters.std", 1},
    {"fit_distribution(\"student_t\", x / k).parameters.degrees_of_freedom", 0, 1e-6},
    {"fit_distribution(\"gamma\", abs(x)).parameters.scale", 1, 1e-7},
    {"fit_distribution(\"weibull\", abs(x)).standard_errors.scale", 1, 1e-6},
    {"kernel_density(x).bandwidth", 1},
    {"kernel_density(x)(median(x))", -1},
    {"principal_components(m).variances", 2},
    {"abs(principal_components(m).scores)", 1},
    {"cluster(m, 3).centers", 1},
    {"joint_histogram(x, y).counts", 0},
    {"joint_histogram(x, y).density", -2},
    {"histogram_counts(x, bins: 7).counts", 0},
    {"regress(table_of, \"w\", [\"u\", \"v\"]).coefficients[2..]", 0},
    {"regress(table_of, \"w\", [\"u\", \"v\"]).p", 0, 1e-8},
    {"regress(table_of, \"w\", [\"u\", \"v\"]).cook", 0},
    {"local_regression(t, x, span: 0.5)(10)", 1},
    {"line_fit(t, x).coefficients", 1},
    {"polynomial_fit(t / 80, x, 3).coefficients", 1},
    {"fit(fn(s, p) = p[1] + p[2] * s, t, x, start: [0, 0]).coefficients", 1, 1e-7},
    {"trend(t, x).slope", 1},
    {"trend(t, x).p", 0},
    {"trend(t, x).interval[1]", 1},
    {"aggregate(mean, t, z, every: 7).value", 1},
    {"fill_gaps(t, z, 10)", 1},
    {"regular(t + 0.25 * sin(t), x, every: 0.5).value", 1},
    {"autocorrelation(x, lags: 8)", 0},
    {"lagged_correlation(x, y, lags: -3..3).correlation", 0},
    {"lagged_correlation(x, y, lags: -3..3).p", 0, 1e-8},
    {"moving(mean, x, window: 7)", 1},
    {"moving(std, x, window: 7)", 1},
    {"moving(median, z, window: 7, skip_nan: true)", 1},
    {"moving(max, x, window: 8)", 1},
    {"detrend(x, degree: 2)", 1},
    {"smooth(x, window: 9)", 1},
    {"low_pass(x, 0.1)", 1},
    {"high_pass(x, 0.1)", 1},
    {"band_pass(x, (0.1, 0.2), causal: true)", 1},
    {"finite_filter(11, 0.2).apply(x)", 1},
    {"peaks(x).positions", 0},
    {"peaks(x).prominences", 1},
    {"peaks(x).widths", 0},
    {"zero_crossings(t, y)", 0},
    {"envelope(y)", 1},
    {"resample(t, y, onto: 0..79 by 2)", 1},
    {"power_spectrum(x).power", 2},
    {"power_spectrum(x, segments: 4).power", 2},
    {"cross_spectrum(x, y, segments: 4).cross", 2},
    {"cross_spectrum(x, y, segments: 4).coherence", 0},
    {"spectrogram(x, length: 16).power", 2},
    {"uneven_spectrum(t + 0.25 * sin(t), x).power", 0},
    {"wavelet_power(x).power", 2},
    {"dct(x)", 1},
    {"convolve(x, y)", 2},
    {"seasonal_means(86400 * 30 * t, x).mean", 1},
};

std::vector<double> numbers_of(const std::string& call, const std::string& k) {
  const auto a = to_array(value_of("k = " + k + "\n" + kData + "result = " + call));
  if (a.type() == ElementType::complex128) {
    std::vector<double> out;
    for (const auto z : a.to_vector<Complex>()) out.insert(out.end(), {z.real(), z.imag()});
    return out;
  }
  return a.converted(ElementType::float64).to_vector<double>();
}

}  // namespace

TEST_CASE("statistics, series and spectra follow the scale of their data") {
  for (const auto& [call, power, tolerance] : kCalls) {
    const auto plain = numbers_of(call, "1");
    double size = 0;
    for (const double v : plain)
      if (std::isfinite(v)) size = std::max(size, std::fabs(v));
    CAPTURE(call, size);
    CHECK(!plain.empty());
    for (const std::string k : {"1e-12", "1e12"}) {
      const auto scaled = numbers_of(call, k);
      CAPTURE(k);
      REQUIRE(scaled.size() == plain.size());
      const double factor = std::pow(std::stod(k), power);
      double worst = 0;
      for (std::size_t i = 0; i < plain.size(); ++i) {
        if (std::isnan(plain[i]) && std::isnan(scaled[i])) continue;
        worst = std::max(worst, std::fabs(scaled[i] / factor - plain[i]));
      }
      CHECK(worst <= tolerance * size);
    }
  }
}
