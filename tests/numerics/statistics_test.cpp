// Statistics along axes, of every type: against definitions in long double, and line by line.
#include "numerics/statistics.h"

#include <bit>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <random>

#include "array/rearrange.h"
#include "base/parallel.h"

using namespace quill;

namespace {

using Function = Array (*)(const Array&, const StatisticsOptions&);
constexpr std::pair<const char*, Function> kFunctions[] = {{"mean", mean},
                                                           {"variance", variance},
                                                           {"standard_deviation", standard_deviation},
                                                           {"root_mean_square", root_mean_square},
                                                           {"skewness", skewness},
                                                           {"excess_kurtosis", excess_kurtosis}};

double by_definition(const std::string& name, const std::vector<double>& v) {
  const auto n = static_cast<long double>(v.size());
  const auto moment = [&](long double about, int k) {
    long double sum = 0;
    for (const double x : v) sum += std::pow(x - about, static_cast<long double>(k));
    return sum / n;
  };
  const auto center = moment(0, 1), second = moment(center, 2);
  if (name == "mean") return static_cast<double>(center);
  if (name == "variance") return static_cast<double>(second * n / (n - 1));
  if (name == "standard_deviation") return static_cast<double>(std::sqrt(second * n / (n - 1)));
  if (name == "root_mean_square") return static_cast<double>(std::sqrt(moment(0, 2)));
  if (name == "skewness") return static_cast<double>(moment(center, 3) / std::pow(second, 1.5L));
  return static_cast<double>(moment(center, 4) / (second * second) - 3);
}

std::vector<double> numbers(std::mt19937_64& random, Index count, double scale) {
  std::normal_distribution<double> normal(0.3, 1);
  std::vector<double> out;
  for (Index k = 0; k < count; ++k) out.push_back(scale * normal(random));
  return out;
}

bool has_same_bits(const Array& a, const Array& b) {
  const auto x = a.to_vector<double>(), y = b.to_vector<double>();
  return std::equal(x.begin(), x.end(), y.begin(), y.end(), [](double p, double q) {
    return std::bit_cast<std::uint64_t>(p) == std::bit_cast<std::uint64_t>(q) ||
           (std::isnan(p) && std::isnan(q));
  });
}

}  // namespace

TEST_CASE("statistics agree with their definitions at all scales") {
  std::mt19937_64 random(3);
  for (const double scale : {1.0, 1e-12, 1e12, 1e-160, 1e150})
    for (const Index count : {2, 3, 100, 129, 5000, 300000}) {
      const auto v = numbers(random, count, scale);
      for (const auto& [name, f] : kFunctions) {
        CAPTURE(scale, count, name);
        std::vector<double> unscaled(v);
        for (double& x : unscaled) x /= scale;
        double wanted = by_definition(name, unscaled);
        if (std::string(name) == "variance") wanted *= scale * scale;
        if (std::string(name) == "mean" || std::string(name) == "standard_deviation" ||
            std::string(name) == "root_mean_square")
          wanted *= scale;
        CHECK(f(Array::vector(v), {}).to_vector<double>()[0] ==
              Approx(wanted).epsilon(1e-11).margin(1e-12 * scale));
      }
    }
}

TEST_CASE(
    "statistics of a type are those of its numbers as float64, line by line, with any number of threads") {
  std::mt19937_64 random(4);
  const auto threads = thread_count();
  for (const auto& shape : {Shape{700, 300}, Shape{40, 3, 2000}, Shape{3, 70000}, Shape{90000, 3}}) {
    auto all = Array::vector(numbers(random, size_of(shape), 40)).with_shape(shape);
    for (const auto type :
         {ElementType::float64, ElementType::float32, ElementType::int32, ElementType::uint8}) {
      auto whole = all;
      if (type == ElementType::int32 || type == ElementType::uint8) {
        double* x = whole.mutable_data<double>();
        for (Index k = 0; k < whole.size(); ++k) x[k] = std::min(std::floor(std::fabs(x[k])), 255.0);
      }
      const auto a = whole.converted(type), numbers_of_a = a.converted(ElementType::float64);
      for (int axis = 0; axis < a.axes(); ++axis)
        for (const auto& [name, f] : kFunctions) {
          CAPTURE(name, axis, name_of(type), text_of(shape));
          set_thread_count(1);
          const auto alone = f(a, {.over = {axis, false}});
          set_thread_count(threads);
          CHECK(has_same_bits(f(a, {.over = {axis, false}}), alone));
          CHECK(has_same_bits(f(numbers_of_a, {.over = {axis, false}}), alone));
          // The line in the middle by itself.
          Shape others = a.shape();
          Strides strides = a.strides();
          Index offset = a.offset();
          for (int k = 0; k < a.axes(); ++k)
            if (k != axis) offset += others[k] / 2 * strides[k];
          const auto line = a.view(offset, {others[axis]}, {strides[axis]});
          std::vector<Index> at;
          Index position = 0;
          for (int k = 0; k < a.axes(); ++k)
            if (k != axis) position = position * others[k] + others[k] / 2;
          const auto one = f(line, {}).to_vector<double>()[0];
          CHECK(std::bit_cast<std::uint64_t>(alone.to_vector<double>()[static_cast<std::size_t>(position)]) ==
                std::bit_cast<std::uint64_t>(one));
        }
    }
  }
}

TEST_CASE("nan propagates through statistics wherever it stands, or is left out") {
  std::mt19937_64 random(5);
  for (const Index count : {3, 9, 200, 5000})
    for (Index at = 0; at < count; at += 1 + count / 7)
      for (const bool are_equal : {false, true}) {
        auto v = are_equal ? std::vector<double>(static_cast<std::size_t>(count), 0.25)
                           : numbers(random, count, 1);
        v[static_cast<std::size_t>(at)] = NAN;
        auto rest = v;
        rest.erase(rest.begin() + at);
        for (const auto type : {ElementType::float64, ElementType::float32}) {
          const auto a = Array::vector(v).converted(type), known = Array::vector(rest).converted(type);
          for (const auto& [name, f] : kFunctions) {
            CAPTURE(name, count, at, are_equal);
            CHECK(std::isnan(f(a, {}).to_vector<double>()[0]));
            CHECK(has_same_bits(f(a, {.over = {}, .skip_nan = true}),
                                f(known.converted(ElementType::float64), {})));
          }
          for (const auto op : {Reduction::sum, Reduction::product, Reduction::minimum, Reduction::maximum}) {
            CHECK(std::isnan(reduce(op, a).converted(ElementType::float64).to_vector<double>()[0]));
            CHECK(has_same_bits(reduce_without_nan(op, a, {}).converted(type).converted(ElementType::float64),
                                reduce(op, known).converted(ElementType::float64)));
          }
        }
      }
}

TEST_CASE("equal numbers have no spread, and single ones an unknown one") {
  for (const double x : {0.1, -7.0, 1e300, 1e-300}) {
    CHECK(variance(Array::vector(std::vector<double>(1000, x)), {}).to_vector<double>()[0] == 0);
    CHECK(std::isnan(skewness(Array::vector(std::vector<double>(1000, x)), {}).to_vector<double>()[0]));
    CHECK(std::isnan(variance(Array::vector(std::vector<double>{x}), {}).to_vector<double>()[0]));
  }
}

TEST_CASE("extremes are found among many elements, with nan and zeros of both signs") {
  std::mt19937_64 random(6);
  for (int round = 0; round < 2000; ++round) {
    std::vector<double> v(1 + random() % 40);
    for (double& x : v)
      x = std::array{
          -1.0, -0.0, 0.0, 0.5, 2.0, -0.0, 0.0, -std::numeric_limits<double>::infinity()}[random() % 8];
    if (round % 5 == 0) v[random() % v.size()] = NAN;
    for (const bool maximum : {false, true}) {
      // One after the other, as the definition has it.
      double wanted = v[0];
      for (const double x : v) {
        if (std::isnan(wanted)) break;
        if (std::isnan(x) || (maximum ? x > wanted : x < wanted)) wanted = x;
        if (x == 0 && wanted == 0 && std::signbit(x) != maximum) wanted = x;
      }
      const auto op = maximum ? Reduction::maximum : Reduction::minimum;
      CAPTURE(v, maximum);
      CHECK(has_same_bits(reduce(op, Array::vector(v)), Array::single(wanted)));
    }
  }
}
