// Filters, moving reductions and spectra as a script asks for them.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill::test;

namespace {
const std::string kWithoutNan = "select the finite elements: a[is_finite(a)]";
}

TEST_CASE("moving takes reductions and functions, along an axis, with every end") {
  check_calls({{"moving(sum, [1, 2, 3, 4], window: 3)", "[3, 6, 9, 7]"},
               {"moving(max, [1, 9, 2, 3], window: 3, ends: \"nan\")", "[nan, 9, 9, nan]"},
               {"moving(min, [1, 9, 2, 3], window: 3, ends: \"mirror\")", "[1, 1, 2, 2]"},
               {"moving(median, [1, nan, 3], window: 3, skip_nan: true)", "[1, 2, 3]"},
               {"moving(mean, [1, nan, 3], window: 3)", "[nan, nan, nan]"},
               {"moving(fn(v) = v[length(v)] - v[1], [1, 4, 9, 16], window: 3)", "[3, 8, 12, 7]"},
               {"moving(mean, [1, 2 | 3, 4 | 5, 9], window: 3, over: 2)", "[1.5, 1.5 | 3.5, 3.5 | 7, 7]"},
               {"same(moving(mean, sqrt(1..40), window: 7), moving_mean(sqrt(1..40), 7))", "true"}});
  check_errors({{"moving(fn(v) = v, [1, 2])", "moving: `f` must return a single number", ""},
                {"moving(sum, [1, 2], window: 0)", "a window needs at least one element, not 0", ""},
                {"moving(sum, [1, 2], window: 9, ends: \"mirror\")",
                 "a window of 9 elements cannot be mirrored at the ends of 2", ""}});
}

TEST_CASE("filters are values that are applied, and refuse what they cannot filter") {
  check_calls({{"shape(butterworth(5, 0.1).sections)", "[3, 5]"},
               {"length(finite_filter(21, (0.1, 0.2), kind: \"band\").weights)", "21"},
               {"near(butterworth(4, 0.1).apply([1, 1, 1, 1]), [1, 1, 1, 1])", "true"},
               {"same(butterworth(4, 0.1).apply((1..50)^2), low_pass((1..50)^2, 0.1))", "true"},
               {"shape(low_pass(ones(9, 2), 0.1))", "[9, 2]"},
               {"near(low_pass(ones(2, 9), 0.1, over: 2), ones(2, 9))", "true"}});
  check_errors(
      {{"low_pass([1, nan, 2], 0.1)", "y contains nan, the first at element 2", kWithoutNan},
       {"band_pass([1, 2, 3], 0.1)", "band_pass: `cutoff` must be two frequencies (low, high)", "(0.1, 0.2)"},
       {"low_pass([1, 2, 3], 10, spacing: 0.1)",
        "a cutoff must be between 0 and half the sampling rate, 5; not 10",
        "cutoff frequencies are in cycles per unit of the spacing"},
       {"butterworth(50, 0.1)", "the order of a filter must be from 1 to 20, not 50", ""}});
}

TEST_CASE("spectra are averaged over segments and crossed") {
  check_calls({{"length(power_spectrum(1..64, segments: 3).frequency)", "17"},
               {"power_spectrum(sin(1..64), segments: 1, overlap: 0).degrees_of_freedom", "2"},
               {"shape(spectrogram(sin(1..100), length: 20).power)", "[9, 11]"},
               {"shape(wavelet_power(sin(1..100), periods: [4, 8]).power)", "[2, 100]"},
               {"shape(dct(ones(3, 4), over: 2))", "[3, 4]"},
               {"convolve([1, 2 | 3, 4], [1, 1 | 1, 1])", "[1, 3, 2 | 4, 10, 6 | 3, 7, 4]"},
               {"length(peaks([1, 2, 1, 3, 1]).positions)", "2"},
               {"unwrap([0, 3, -3])", "[0, 3, 3.2831853071795862]"},
               {"lagged_correlation(1..30, 1..30, lags: [0, 2]).correlation", "[1, 1]"}});
  check_errors(
      {{"peaks([1, nan, 2])", "y contains nan, the first at element 2", kWithoutNan},
       {"spectrogram([1, 2, 3], length: 9)", "a segment must have from 2 to the 3 samples, not 9", ""},
       {"lagged_correlation([1, 2], [1, 2], lags: [5])",
        "lagged_correlation: `lags` must be integers of less than the 2 samples, not 5", ""},
       {"zero_crossings([1, 1], [0, 1])", "x must rise; element 2 does not", ""}});
  CHECK(
      run("x = cross_spectrum(sin(1..64), cos(1..64), segments: 1)").messages.find("a single segment is 1") !=
      std::string::npos);
  CHECK(run("x = resample([0, 1, 2], [1, 2, 3], onto: [0, 5])").messages.find("1 of 2 points are outside") !=
        std::string::npos);
}
