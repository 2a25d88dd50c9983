#include "files/conventions.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <iterator>
#include <limits>
#include <type_traits>

#include "base/parallel.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/netcdf_library.h"

namespace quill {

namespace conventions {

namespace {

bool holds_reals(ElementType type) {
  return type == ElementType::float64 || type == ElementType::float32 || is_integer(type);
}

// Which packed values stand for nothing.
struct Gaps {
  explicit Gaps(const VariableNote& note) : least(note.least), most(note.most) {
    // nan stands for itself.
    std::copy_if(note.missing.begin(), note.missing.end(), std::back_inserter(values),
                 [](double x) { return x == x; });
  }
  bool empty() const { return values.empty() && !least && !most; }
  bool has(double x) const {
    for (const double value : values)
      if (x == value) return true;
    return (least && x < *least) || (most && x > *most);
  }
  std::vector<double> values;
  std::optional<double> least, most;
};

constexpr Index kPiece = 65536;

template <class Work>
void by_pieces(Index size, const Work& work) {
  in_parallel((size + kPiece - 1) / kPiece,
              [&](Index k) { work(k * kPiece, std::min(size, (k + 1) * kPiece)); });
}

template <class T>
bool has_gaps(const Array& array, const Gaps& gaps) {
  const auto* const from = array.data<T>();
  std::atomic<bool> found{false};
  by_pieces(array.size(), [&](Index begin, Index end) {
    if (std::any_of(from + begin, from + end, [&](T x) { return gaps.has(static_cast<double>(x)); }))
      found = true;
  });
  return found;
}

// By float64, in which all integers below 2^53 and all of float32 are exact.
Array unpacked(Array array, const VariableNote& note) {
  const Gaps gaps(note);
  const bool is_packed = note.scale || note.offset;
  if (array.size() == 0 || (gaps.empty() && !is_packed)) return array;
  const double nan = std::numeric_limits<double>::quiet_NaN();
  if (array.type() == ElementType::float32 && !is_packed) {
    auto* const x = array.mutable_data<float>();
    by_pieces(array.size(), [&](Index begin, Index end) {
      for (Index k = begin; k < end; ++k)
        if (gaps.has(static_cast<double>(x[k]))) x[k] = static_cast<float>(nan);
    });
    return array;
  }
  const bool is_whole = is_integer(array.type());
  if (is_whole && !is_packed && !visit_numeric(array.type(), [&]<class T>(Tag<T>) {
        if constexpr (std::is_integral_v<T>)
          return has_gaps<T>(array, gaps);
        else
          return false;
      }))
    return array;
  auto numbers =
      array.type() == ElementType::float64 ? std::move(array) : array.converted(ElementType::float64);
  auto* const x = numbers.mutable_data<double>();
  const double scale = note.scale.value_or(1), offset = note.offset.value_or(0);
  by_pieces(numbers.size(), [&](Index begin, Index end) {
    for (Index k = begin; k < end; ++k) x[k] = gaps.has(x[k]) ? nan : x[k] * scale + offset;
  });
  return numbers;
}

bool is_usual(const std::string& calendar) {
  const auto name = to_lower(calendar);
  return name.empty() || name == "standard" || name == "gregorian" || name == "proleptic_gregorian";
}

// Seconds since 1970; nothing when the units are none of times, or of a length that is not the same
// everywhere.
std::optional<Array> as_times(const Array& array, const std::string& units) {
  const auto since = units.find(" since ");
  if (since == units.npos) return std::nullopt;
  const auto step = to_lower(std::string(trim(std::string_view(units).substr(0, since))));
  for (const char* varying : {"month", "months", "year", "years", "common_year", "common_years"})
    if (step == varying) return std::nullopt;
  const auto& u = udunits();
  ut_unit* const from = u.ut_parse(u.units, std::string(trim(units)).c_str(), UT_UTF8);
  ut_unit* const to = u.ut_parse(u.units, "seconds since 1970-01-01 00:00:00 +0:00", UT_UTF8);
  cv_converter* const converter = from && to ? u.ut_get_converter(from, to) : nullptr;
  std::optional<Array> out;
  if (converter != nullptr) {
    auto numbers = array.converted(ElementType::float64).copied();
    if (numbers.size() > 0) {
      auto* const seconds = numbers.mutable_data<double>();
      u.cv_convert_doubles(converter, seconds, static_cast<std::size_t>(numbers.size()), seconds);
      // What is a whole number of microseconds but for rounding.
      for (Index k = 0; k < numbers.size(); ++k)
        if (const double whole = std::round(seconds[k] * 1e6) / 1e6; std::fabs(whole - seconds[k]) < 2e-6)
          seconds[k] = whole;
    }
    out = std::move(numbers);
    u.cv_free(converter);
  }
  if (from) u.ut_free(from);
  if (to) u.ut_free(to);
  return out;
}

}  // namespace

}  // namespace conventions

Array decoded(Array array, const VariableNote& note,
              const std::function<void(std::string message, std::string hint)>& warn) {
  using namespace conventions;
  const auto label = note.long_name.empty() ? note.name : note.long_name;
  if (!holds_reals(array.type())) {
    if (!note.units.empty() || !note.long_name.empty())
      array.label = std::make_shared<Label>(Label{label, note.units});
    return array;
  }
  array = unpacked(std::move(array), note);
  auto units = note.units;
  if (units.find(" since ") != units.npos) {
    auto times = is_usual(note.calendar) ? as_times(array, units) : std::nullopt;
    // Before this date calendars differ.
    constexpr double reform = -12219292800;
    const bool is_early = times && std::any_of(times->data<double>(), times->data<double>() + times->size(),
                                               [&](double t) { return t < reform; });
    if (times && !is_early) {
      times->label = std::make_shared<Label>(Label{note.long_name, std::string(kTimeUnit)});
      return *times;
    }
    if (warn)
      warn(fmt::format("{} stays numbers with the unit \"{}\": {}", printable(note.name), printable(units),
                       !is_usual(note.calendar)
                           ? fmt::format("the calendar {} has other dates", printable(note.calendar))
                       : is_early ? "it has times before 1582-10-15, where calendars differ"
                                  : "it is not a unit of times"),
           "");
  }
  if (!units.empty() || !note.long_name.empty()) array.label = std::make_shared<Label>(Label{label, units});
  return array;
}

}  // namespace quill
