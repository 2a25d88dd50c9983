// Numerical built-ins with the largest arguments that 2 GB hold. Not among the ordinary tests: it takes
// minutes and memory. test_builtins "[sizes]" runs it.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("numerical built-ins take what 2 GB hold", "[.][sizes]") {
  // 10^8 numbers are 0.8 GB; with a result of that size, and a second argument, the work has about 2 GB.
  struct Walk {
    std::string length;
    std::vector<std::string> calls;
  };
  const Walk walks[] = {
      {"10^8",
       {"sum(x)",
        "product(x + 0.5)",
        "mean(x)",
        "variance(x)",
        "min(x)",
        "argmax(x)",
        "norm(x)",
        "norm(x, 1)",
        "rms(x)",
        "skewness(x)",
        "cumsum(x)",
        "diff(x)",
        "running_max(x)",
        "sort(x)",
        "median(x)",
        "quantile(x, 0.3)",
        "reverse(x)",
        "erf(x)",
        "locate([0.2, 0.4], x)",
        "histogram_counts(x, bins: 100)",
        "fft(x)",
        "reshape(x, 10^4, 10^4) *+ ones(10^4)",
        "diagonal(reshape(x, 10^4, 10^4))",
        "moving_mean(x, 5)"}},
      {"2 * 10^7",
       {"sort_order(x)",
        "unique(round(x * 1000))",
        "mode(round(x * 10))",
        "ifft(fft(x))",
        "real_fft(x)",
        "convolve(x, [1, 2, 3])",
        "power_spectrum(x, spacing: 1)",
        "window(\"hann\", length(x))",
        "shuffle(x)",
        "sample(x, 10)",
        "integrate_samples(t, x)",
        "cumulative_integral(t, x)",
        "gradient(x, spacing: 0.1)",
        "interpolate(t, x, [0.25, 0.5])",
        "interpolant(t, x, method: \"spline\")(0.5)",
        "line_fit(t, x)",
        "polynomial_fit(t, x, 3)",
        "covariance(a)",
        "correlation(a)",
        "bin_means(x, x, 0..1 by 0.1)",
        "least_squares(a, x)",
        "qr(a)",
        "svd(a)",
        "rank(a)",
        "condition_number(a)",
        "norm(a, 2)",
        "vandermonde(x, 3)",
        "lu(a)",
        "outer(x, [1, 2])",
        "correlate(x, [1, 2, 3])",
        "a' *+ a"}},
  };
  for (const auto& walk : walks)
    for (const auto& call : walk.calls) {
      std::string text = "seed(1)\nx = random(" + walk.length + ")\n";
      if (walk.length != "10^8") text += "t = (1..length(x)) / length(x)\na = [down(x), down(t)]\n";
      const auto ran = run(text + "r = " + call + "\n");
      CAPTURE(call, ran.messages);
      CHECK(ran.ok);
    }
}
