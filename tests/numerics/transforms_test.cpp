// Transforms against the sum of their definition, against each other, and by what they conserve.
#include "numerics/transforms.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "numerics/linear_algebra.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

Array random_numbers(Random& random, const Shape& shape, bool complex) {
  std::normal_distribution<double> normal;
  Array out(complex ? ElementType::complex128 : ElementType::float64, shape);
  for (Index k = 0; k < out.size(); ++k) {
    if (complex)
      out.mutable_data<Complex>()[k] = {normal(random), normal(random)};
    else
      out.mutable_data<double>()[k] = normal(random);
  }
  return out;
}

// The definition, with the angles reduced so that they stay exact.
std::vector<Complex> by_definition(const std::vector<Complex>& x, double sign) {
  const auto n = x.size();
  std::vector<Complex> out(n);
  for (std::size_t k = 0; k < n; ++k)
    for (std::size_t j = 0; j < n; ++j)
      out[k] += x[j] * std::polar(1.0, sign * 2 * std::numbers::pi * static_cast<double>(j * k % n) /
                                           static_cast<double>(n));
  return out;
}

std::vector<Complex> numbers_of(const Array& a) {
  return a.converted(ElementType::complex128).to_vector<Complex>();
}

double array_distance(const Array& a, const Array& b) { return norm(apply(Binary::subtract, a, b)); }

const int kFirst[] = {0};

}  // namespace

TEST_CASE("transforms of every length are the sums of their definition") {
  Random random(61);
  for (Index n = 1; n <= 41; ++n)
    for (const bool complex : {false, true}) {
      const auto x = random_numbers(random, {n}, complex);
      const auto spectrum = fourier(x, kFirst, Direction::forward);
      const auto expected = by_definition(numbers_of(x), -1);
      const auto got = spectrum.to_vector<Complex>();
      CAPTURE(n, complex);
      for (std::size_t k = 0; k < got.size(); ++k)
        CHECK(std::abs(got[k] - expected[k]) < 1e-12 * static_cast<double>(n));
      // Back again: real numbers come back as real numbers.
      const auto back = inverse_fourier(spectrum, kFirst);
      CHECK(array_distance(back, x) < 1e-13 * static_cast<double>(n));
      if (!complex) CHECK(back.type() == ElementType::float64);
      // The energy is the same on both sides.
      CHECK(std::pow(norm(spectrum), 2) == Approx(static_cast<double>(n) * std::pow(norm(x), 2)));
      if (complex) continue;
      const auto half = real_fourier(x, 0);
      CHECK(half.size() == n / 2 + 1);
      for (Index k = 0; k < half.size(); ++k) CHECK(half.at<Complex>({k}) == spectrum.at<Complex>({k}));
      CHECK(array_distance(inverse_real_fourier(half, n, 0), x) < 1e-13 * static_cast<double>(n));
    }
}

TEST_CASE("transforms along any axis of any layout") {
  Random random(62);
  for (int round = 0; round < 40; ++round) {
    const auto x =
        random_numbers(random, {pick(random, 1, 5), pick(random, 1, 6), pick(random, 1, 4)}, round % 2);
    const int axis = static_cast<int>(pick(random, 0, 2));
    const int axes[] = {axis};
    const auto spectrum = fourier(x, axes, Direction::forward);
    // The same with the axis brought to the front, line by line.
    const int order[3][3] = {{0, 1, 2}, {1, 0, 2}, {2, 1, 0}};
    const auto turned = x.permuted(order[axis]), other = spectrum.permuted(order[axis]);
    const Index n = x.extent(axis);
    for (Index i = 0; i < turned.extent(1); ++i)
      for (Index k = 0; k < turned.extent(2); ++k) {
        std::vector<Complex> line;
        for (Index j = 0; j < n; ++j)
          line.push_back(round % 2 ? turned.at<Complex>({j, i, k}) : Complex(turned.at<double>({j, i, k})));
        const auto expected = by_definition(line, -1);
        for (Index j = 0; j < n; ++j)
          CHECK(std::abs(other.at<Complex>({j, i, k}) - expected[static_cast<std::size_t>(j)]) < 1e-12);
      }
    // Two axes, and back.
    const int both[] = {2, 1};
    const auto plane = fourier(x, both, Direction::forward);
    const int one[] = {1}, two[] = {2};
    CHECK(array_distance(plane, fourier(fourier(x, one, Direction::forward), two, Direction::forward)) <
          1e-11);
    const auto back = inverse_fourier(plane, both);
    CHECK(array_distance(back, x) < 1e-12);
    CHECK(back.type() == x.type());
  }
}

TEST_CASE("convolutions by sums and by transforms agree, and overlap as they say") {
  Random random(63);
  for (int round = 0; round < 30; ++round) {
    const Index n = round % 3 == 0 ? pick(random, 65, 300) : pick(random, 1, 20);
    const Index m = round % 3 == 0 ? pick(random, 65, 300) : pick(random, 1, 20);
    const auto a = random_numbers(random, {n}, round % 2), b = random_numbers(random, {m}, false);
    const auto x = numbers_of(a), y = numbers_of(b);
    std::vector<Complex> expected(x.size() + y.size() - 1);
    for (std::size_t i = 0; i < x.size(); ++i)
      for (std::size_t k = 0; k < y.size(); ++k) expected[i + k] += x[i] * y[k];
    const auto full = convolve(a, b, Overlap::full);
    const auto got = numbers_of(full);
    REQUIRE(got.size() == expected.size());
    for (std::size_t k = 0; k < got.size(); ++k) CHECK(std::abs(got[k] - expected[k]) < 1e-11);
    CHECK(full.type() == a.type());
    CHECK(convolve(a, b, Overlap::same).size() == n);
    const auto valid = numbers_of(convolve(a, b, Overlap::valid));
    REQUIRE(valid.size() == std::max(x.size(), y.size()) - std::min(x.size(), y.size()) + 1);
    CHECK(std::abs(valid[0] - expected[std::min(x.size(), y.size()) - 1]) < 1e-11);
    // Convolution commutes, and correlation is convolution with the other one turned.
    CHECK(array_distance(convolve(b, a, Overlap::full), full) < 1e-11);
    CHECK(array_distance(correlate(a, b, Overlap::full), convolve(a, reversed(b, 0), Overlap::full)) < 1e-11);
  }
}

TEST_CASE("windows are symmetric, peak in the middle, and sum in pairs to a constant") {
  for (const auto w : {Window::bartlett, Window::hann, Window::hamming, Window::blackman}) {
    const auto weights = window_weights(w, 33, false).to_vector<double>();
    for (std::size_t k = 0; k < 33; ++k) CHECK(weights[k] == Approx(weights[32 - k]).margin(1e-15));
    CHECK(weights[16] == Approx(1));
  }
  // Periodic ones shifted by half their length add up to a constant.
  for (const auto w : {Window::bartlett, Window::hann, Window::hamming}) {
    const auto weights = window_weights(w, 32, true).to_vector<double>();
    for (std::size_t k = 0; k < 16; ++k)
      CHECK(weights[k] + weights[k + 16] == Approx(weights[0] + weights[16]));
  }
  CHECK(window_weights(Window::hann, 1, false).to_vector<double>() == std::vector<double>{1});
}

TEST_CASE("the power of a spectrum is the mean square, and stands where the oscillation is") {
  Random random(64);
  for (const Index n : {Index{64}, Index{65}, Index{101}}) {
    const auto x = random_numbers(random, {n}, false);
    const auto s = power_spectrum(x, 0.25, Window::rectangular);
    const double step = 1 / (0.25 * static_cast<double>(n));
    CHECK(*reduce(Reduction::sum, s.power).data<double>() * step ==
          Approx(std::pow(norm(x), 2) / static_cast<double>(n)));
  }
  std::vector<double> wave;
  for (int k = 0; k < 200; ++k) wave.push_back(3 * std::sin(2 * std::numbers::pi * 0.125 * k * 0.5));
  const auto s = power_spectrum(Array::vector(wave), 0.5, Window::hann);
  const auto at = static_cast<Index>(*arg_extreme(s.power, true, {}).data<double>()) - 1;
  CHECK(s.frequency.at<double>({at}) == Approx(0.125).margin(0.006));
  CHECK(fourier_frequencies(5, 2).to_vector<double>() == std::vector<double>{0, 0.1, 0.2, -0.2, -0.1});
}

TEST_CASE("what cannot be transformed is reported") {
  CHECK_THROWS_WITH(fourier(Array::vector(std::vector<double>{1, NAN}), kFirst, Direction::forward),
                    "the array contains nan, the first at element 2");
  CHECK_THROWS_AS(fourier(Array(), kFirst, Direction::forward), Error);
  CHECK_THROWS_AS(real_fourier(Array::filled<Complex>({3}, Complex(1, 1)), 0), Error);
  CHECK_THROWS_AS(inverse_real_fourier(Array::filled<Complex>({3}, Complex(1, 1)), 7, 0), Error);
  CHECK_THROWS_AS(convolve(Array(), Array::single(1), Overlap::full), Error);
  CHECK_THROWS_AS(fourier_frequencies(0, 1), Error);
  CHECK_THROWS_AS(fourier_frequencies(4, -1), Error);
  CHECK_THROWS_AS(window_weights(Window::hann, 0, false), Error);
}

TEST_CASE("the sum of a power spectrum is the mean square, with every window and on both sides") {
  for (const Index n : {Index{64}, Index{63}, Index{1}}) {
    std::vector<double> x;
    double square = 0;
    for (Index k = 0; k < n; ++k) {
      x.push_back(std::sin(0.3 * static_cast<double>(k * k)) + 0.5);
      square += x.back() * x.back() / static_cast<double>(n);
    }
    for (const auto window :
         {Window::rectangular, Window::bartlett, Window::hann, Window::hamming, Window::blackman})
      for (const bool both : {false, true}) {
        if (n == 1 && window != Window::rectangular) continue;
        const auto s = power_spectrum(Array::vector(x), 0.25, window, both);
        double sum = 0;
        for (const double p : s.power.to_vector<double>()) sum += p;
        CHECK(sum / (0.25 * static_cast<double>(n)) == Approx(square).epsilon(1e-12));
        CHECK(s.power.size() == (both ? n : n / 2 + 1));
      }
  }
}
