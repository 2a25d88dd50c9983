// Statistics by drawing again from the data.
#include "numerics/resampling.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "builtins/choices.h"
#include "builtins/context.h"
#include "builtins/sample_argument.h"
#include "builtins/table_rows.h"
#include "builtins/tables.h"
#include "numerics/samples.h"
#include "value/runtime.h"

namespace quill {

namespace resampling_calls {
namespace {

constexpr std::string_view kFamily = "statistics";

// The data that are resampled: an array by rows, or a table.
class Rows {
 public:
  Rows(const Call& call, std::size_t i) {
    table_ = find_table(call, i);
    if (table_) {
      count_ = length_of(*table_);
    } else {
      array_ = call.array(i);
      if (array_.axes() == 0) call.fail_argument(i, "must be an array or a table");
      count_ = array_.extent(0);
    }
    if (count_ < 2) call.fail_argument(i, fmt::format("must have at least 2 rows, not {}", count_));
  }
  Index count() const { return count_; }
  // Sums and means of finite numbers need no call for each draw: `draw` puts one into an array that serves
  // again.
  bool are_finite_numbers() const {
    if (table_ || array_.axes() != 1 || array_.type() != ElementType::float64) return false;
    for (Index k = 0; k < count_; ++k)
      if (!std::isfinite(array_.data<double>()[k * array_.strides()[0]])) return false;
    return true;
  }
  void draw(RandomStream& random, Array& to) const {
    random.choose(array_.data<double>(), count_, array_.strides()[0], to.mutable_data<double>(), count_);
  }
  Value drawn_again(RandomStream& random) const {
    if (!table_ && array_.axes() == 1 && array_.type() == ElementType::float64) {
      // The draws of `drawn`, without its general selection.
      Array out(ElementType::float64, {count_});
      draw(random, out);
      return Value::array(std::move(out));
    }
    if (!table_) return Value::array(drawn(random, array_, count_, true));
    std::vector<Index> places(static_cast<std::size_t>(count_));
    for (auto& p : places) p = *random.whole(0, static_cast<double>(count_ - 1));
    return rows_at(*table_, places);
  }
  // Without the rows from `first` to before `last`.
  Value without(Index first, Index last) const {
    if (table_) {
      std::vector<Index> places;
      for (Index k = 0; k < count_; ++k)
        if (k < first || k >= last) places.push_back(k);
      return rows_at(*table_, places);
    }
    const auto part = [&](Index from, Index to) {
      auto shape = array_.shape();
      shape[0] = to - from;
      return array_.view(array_.offset() + from * array_.strides()[0], shape, array_.strides());
    };
    const Array parts[] = {part(0, first), part(last, count_)};
    return Value::array(join(parts, 0));
  }

 private:
  const RecordObject* table_ = nullptr;
  Array array_;
  Index count_ = 0;
};

// Calls the function with data and returns its real numbers. Error unless there are `expected` (0: any
// count).
std::vector<double> numbers_of(const Call& call, const Value& f, const Value& data, std::size_t expected) {
  const Value arguments[] = {data};
  const auto result = numeric_value(call.runtime.call(f, arguments));
  if (result.is_number()) {
    if (expected > 1) call.fail_argument(0, "returned a number, and before a vector");
    return {result.number()};
  }
  if (!result.is_array_like() || !is_numeric(element_type_of(result)) ||
      element_type_of(result) == ElementType::complex128 || shape_of(result).count() > 1)
    call.fail_argument(0, fmt::format("must return a number or a vector of real numbers, but returned {}",
                                      kind_in_words(result)));
  auto out = to_array(result).converted(ElementType::float64).to_vector<double>();
  if (expected > 0 && out.size() != expected)
    call.fail_argument(0, fmt::format("returned {} numbers, and before {}", out.size(), expected));
  return out;
}

Index draws_argument(const Call& call, std::size_t i, Index fallback) {
  const Index draws = call.given(i) ? call.whole(i) : fallback;
  if (draws < 2 || draws > 10'000'000)
    call.fail_argument(i, fmt::format("must be an integer from 2 to 10 million, not {}", draws));
  return draws;
}

double deviation(const std::vector<double>& v) {
  const auto n = static_cast<double>(v.size());
  const double mean = std::accumulate(v.begin(), v.end(), 0.0) / n;
  double squares = 0;
  for (const double x : v) squares += (x - mean) * (x - mean);
  return std::sqrt(squares / (n - 1));
}

Value single_or_vector(const std::vector<double>& v) {
  return v.size() == 1 ? Value(v[0]) : Value::array(Array::vector(v));
}

// The values with parts of the data left out, for the acceleration: single rows, or of long data up to 1000
// parts of equal length.
std::vector<std::vector<double>> values_left_out(const Call& call, const Value& f, const Rows& rows,
                                                 std::size_t size) {
  const Index parts = std::min<Index>(rows.count(), 1000);
  std::vector<std::vector<double>> out(size);
  for (Index k = 0; k < parts; ++k) {
    poll_interrupt();
    const auto v =
        numbers_of(call, f, rows.without(k * rows.count() / parts, (k + 1) * rows.count() / parts), size);
    for (std::size_t j = 0; j < size; ++j) out[j].push_back(v[j]);
  }
  return out;
}

// The draws of a reduction of finite numbers; false for any other function.
bool drawn_directly(const Call& call, const Value& f, const Rows& rows, Index draws, std::vector<double>& out,
                    Index& not_finite) {
  const auto* const row = f.is(Kind::builtin) ? f.object<BuiltinObject>().row : nullptr;
  if (!row || !row->reduction || !rows.are_finite_numbers()) return false;
  Array drawn(ElementType::float64, {rows.count()});
  const double divisor = row->divides_by_count ? static_cast<double>(rows.count()) : 1;
  for (Index k = 0; k < draws; ++k) {
    poll_interrupt();
    rows.draw(call.context.random(), drawn);
    const auto reduced = reduce(*row->reduction, drawn).converted(ElementType::float64);
    const double result = *reduced.data<double>() / divisor;
    if (std::isfinite(result))
      out.push_back(result);
    else
      ++not_finite;
  }
  return true;
}

Value bootstrap_row(Call& call) {
  const Value& f = call.callable(0);
  const Rows rows(call, 1);
  const Index draws = draws_argument(call, 2, 2000);
  const double confidence = confidence_argument(call, 4);
  const auto value = numbers_of(call, f, call.value(1), 0);
  std::vector<std::vector<double>> all(value.size());
  for (auto& column : all) column.reserve(static_cast<std::size_t>(draws));
  Index not_finite = 0;
  const bool is_direct = value.size() == 1 && drawn_directly(call, f, rows, draws, all[0], not_finite);
  for (Index k = 0; k < draws && !is_direct; ++k) {
    poll_interrupt();
    const auto v = numbers_of(call, f, rows.drawn_again(call.context.random()), value.size());
    const bool is_fine = std::all_of(v.begin(), v.end(), [](double x) { return std::isfinite(x); });
    if (!is_fine) ++not_finite;
    for (std::size_t j = 0; is_fine && j < v.size(); ++j) all[j].push_back(v[j]);
  }
  if (all.empty() || all[0].size() < 2)
    call.fail_argument(0, "returned finite numbers for fewer than 2 draws");
  if (not_finite > 0)
    call.warn(fmt::format("the function gave nan or infinite numbers for {} of {} draws, which are left out",
                          grouped(not_finite), grouped(draws)));
  const bool is_corrected = call.one_of(3) == "bca";
  std::vector<std::vector<double>> left_out;
  if (is_corrected) left_out = values_left_out(call, f, rows, value.size());
  std::vector<double> errors, ends;
  for (std::size_t j = 0; j < value.size(); ++j) {
    errors.push_back(deviation(all[j]));
    const auto interval = is_corrected ? corrected_interval(all[j], value[j], left_out[j], confidence)
                                       : percentile_interval(all[j], confidence);
    ends.insert(ends.end(), interval.begin(), interval.end());
  }
  const auto count = static_cast<Index>(all[0].size()), width = static_cast<Index>(value.size());
  Array table(ElementType::float64, {count, width});
  for (Index k = 0; k < count; ++k)
    for (Index j = 0; j < width; ++j)
      table.mutable_data<double>()[k * width + j] =
          all[static_cast<std::size_t>(j)][static_cast<std::size_t>(k)];
  auto interval = Array::vector(ends);
  if (width != 1) interval = interval.with_shape({width, 2});
  return Value::record({{"value", single_or_vector(value)},
                        {"standard_error", single_or_vector(errors)},
                        {"interval", Value::array(std::move(interval))},
                        {"draws", Value::array(width == 1 ? table.with_shape({count}) : table)}});
}

// Compares a statistic with those of other divisions of the data.
class Divisions {
 public:
  Divisions(const Call& call, Value f, std::vector<double> pooled, std::size_t first)
      : call_(call), f_(std::move(f)), pooled_(std::move(pooled)), first_(first) {
    const auto word = call.one_of(3);
    sign_ = word == "less" ? -1 : word == "greater" ? 1 : 0;
    seen_ = statistic(pooled_);
  }
  double seen() const { return seen_; }
  double statistic(const std::vector<double>& order) const {
    const auto middle = order.begin() + static_cast<Index>(first_);
    const Value arguments[] = {Value::array(Array::vector(std::vector<double>(order.begin(), middle))),
                               Value::array(Array::vector(std::vector<double>(middle, order.end())))};
    const auto result = single_real(numeric_value(call_.runtime.call(f_, arguments)));
    if (!result || !std::isfinite(*result)) call_.fail_argument(0, "must return a single finite number");
    return *result;
  }
  bool is_as_far(double s) const {
    const double slack = 1e-12 * std::fabs(seen_);
    return sign_ == 0 ? std::fabs(s) >= std::fabs(seen_) - slack : sign_ * s >= sign_ * seen_ - slack;
  }

 private:
  const Call& call_;
  Value f_;
  std::vector<double> pooled_;
  std::size_t first_;
  int sign_ = 0;
  double seen_ = 0;
};

Value permutation_row(Call& call) {
  const bool skip = call.boolean_or(5, false);
  const auto a = sample_argument(call, 1, skip), b = sample_argument(call, 2, skip);
  if (a.empty() || b.empty()) call.fail_argument(a.empty() ? 1 : 2, "must have elements");
  const Index draws = draws_argument(call, 4, 10000);
  auto order = a;
  order.insert(order.end(), b.begin(), b.end());
  const Divisions divisions(call, call.callable(0), order, a.size());
  double all = 1;
  for (std::size_t k = 1; k <= a.size() && all <= static_cast<double>(draws); ++k)
    all *= static_cast<double>(b.size() + k) / static_cast<double>(k);
  double hits = 0, count = 0;
  const bool is_exact = all <= static_cast<double>(draws);
  if (is_exact) {
    std::vector<bool> is_first(order.size(), false);
    std::fill_n(is_first.begin(), a.size(), true);
    do {
      poll_interrupt();
      std::vector<double> divided;
      for (const bool wanted : {true, false})
        for (std::size_t k = 0; k < order.size(); ++k)
          if (is_first[k] == wanted) divided.push_back(order[k]);
      hits += divisions.is_as_far(divisions.statistic(divided)) ? 1 : 0;
      ++count;
    } while (std::prev_permutation(is_first.begin(), is_first.end()));
  } else {
    // The division that was seen counts as one of them, which keeps p from being 0.
    hits = count = 1;
    for (Index k = 0; k < draws; ++k) {
      poll_interrupt();
      for (std::size_t j = order.size() - 1; j > 0; --j)
        std::swap(order[j],
                  order[static_cast<std::size_t>(*call.context.random().whole(0, static_cast<double>(j)))]);
      hits += divisions.is_as_far(divisions.statistic(order)) ? 1 : 0;
      ++count;
    }
  }
  return Value::record({{"statistic", Value(divisions.seen())},
                        {"p", Value(hits / count)},
                        {"draws", Value(is_exact ? count : count - 1)},
                        {"method", Value::text(is_exact ? "permutation test, all divisions"
                                                        : "permutation test, random divisions")}});
}

}  // namespace
}  // namespace resampling_calls

std::vector<Builtin> resampling_rows() {
  using namespace resampling_calls;
  return {
      {
          .name = "bootstrap",
          .family = kFamily,
          .summary =
              "Standard error and confidence interval of any statistic, by drawing again from the data.",
          .parameters =
              {called_with(1, {"f", "function of data like `data`; returns a number or a vector", ""}),
               {"data", "array (drawn by rows along the first axis) or table (drawn by rows)", ""},
               {"draws", "number of draws", "2000"},
               one_of({"interval", "\"bca\" (bias-corrected and accelerated) or \"percentile\"", "\"bca\""},
                      choices::kBootstraps),
               {"confidence", "confidence level of the interval", "0.95"}},
          .returns =
              "a record: value (of the data), standard_error, interval (vector; one row for each number of a "
              "vector), draws (the values of f)",
          .errors = "if f does not return as many numbers in each call",
          .source = "B. Efron, Ann. Stat. 7, 1979; J. Am. Stat. Assoc. 82, 1987",
          .example = "seed(7)\nb = bootstrap(median, [3.1, 2.7, 4.0, 3.3, 2.9, 3.6, "
                     "3.2])\nb.value\nb.interval[1] >= 2.7",
          .output = "b.value = 3.2\nb.interval[1] >= 2.7 = true",
          .run = bootstrap_row,
      },
      {
          .name = "permutation_test",
          .family = kFamily,
          .summary = "Test whether two samples are alike in any statistic, by dividing their elements in "
                     "other ways.",
          .parameters =
              {called_with(2,
                           {"f", "function of two vectors; returns a number, near 0 for equal samples", ""}),
               {"a", "vector, the first sample", ""},
               {"b", "vector, the second sample", ""},
               one_of({"alternative", "\"two_sided\" (by the absolute value of f), \"less\" or \"greater\"",
                       "\"two_sided\""},
                      choices::kAlternatives),
               {"draws", "number of random divisions; all of them if there are no more", "10000"},
               {"skip_nan", "whether nan elements are left out", "false"}},
          .returns = "a record: statistic, p, draws, method",
          .errors = "if f does not return a finite number; if data are nan",
          .source = "E. J. G. Pitman, J. R. Stat. Soc. Suppl. 4, 1937",
          .example =
              "fn gap(a, b) = mean(a) - mean(b)\npermutation_test(gap, [5.1, 4.9, 5.6], [4.2, 4.4, 4.0]).p",
          .output = "permutation_test(gap, [5.1, 4.9, 5.6], [4.2, 4.4, 4.0]).p = 0.1",
          .run = permutation_row,
      },
  };
}

}  // namespace quill
