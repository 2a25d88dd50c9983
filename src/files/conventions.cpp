#include "files/conventions.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <iterator>
#include <limits>
#include <type_traits>

#include "base/parallel.h"
#include "base/processor.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/netcdf_library.h"

namespace quill {

namespace conventions {

namespace {

bool holds_reals(ElementType type) {
  return type == ElementType::float64 || type == ElementType::float32 || is_integer(type);
}

// Packed values that mark missing data.
struct Gaps {
  explicit Gaps(const VariableNote& note) : least(note.least), most(note.most) {
    // nan is always missing.
    std::copy_if(note.missing.begin(), note.missing.end(), std::back_inserter(values),
                 [](double x) { return x == x; });
  }
  bool empty() const { return values.empty() && !least && !most; }
  std::vector<double> values;
  std::optional<double> least, most;
};

constexpr Index kPiece = 65536;
// Blocks that are read ahead are smaller: they leave the other processor to the reader.
constexpr Index kForThreads = Index{1} << 20;

template <class Work>
void by_pieces(Index size, const Work& work) {
  if (size < kForThreads) return work(0, size);
  in_parallel((size + kPiece - 1) / kPiece,
              [&](Index k) { work(k * kPiece, std::min(size, (k + 1) * kPiece)); });
}

template <class T>
[[gnu::always_inline]] inline bool contains_any(const T* x, Index count, const std::vector<T>& values) {
  int found = 0;
  for (const T value : values)
    for (Index k = 0; k < count; ++k) found |= static_cast<int>(x[k] == value);
  return found != 0;
}
#ifdef __x86_64__
template <class T>
[[gnu::target("avx2")]] bool contains_any_avx2(const T* x, Index count, const std::vector<T>& values) {
  return contains_any(x, count, values);
}
#endif
template <class T>
bool contains(const T* x, Index count, const std::vector<T>& values) {
#ifdef __x86_64__
  if (has_avx2()) return contains_any_avx2(x, count, values);
#endif
  return contains_any(x, count, values);
}

// Missing values in one type, for vectorised comparison; values that the type cannot represent are ignored.
template <class T>
struct GapsOf {
  explicit GapsOf(const Gaps& gaps) {
    for (const double x : gaps.values)
      if (const T value = static_cast<T>(fits(x) ? x : 0); fits(x) && static_cast<double>(value) == x)
        values.push_back(value);
    has_least = gaps.least.has_value();
    has_most = gaps.most.has_value();
    least = gaps.least.value_or(0);
    most = gaps.most.value_or(0);
  }
  static bool fits(double x) {
    if constexpr (std::is_floating_point_v<T>) return true;
    // The largest integer of a type may be rounded up as float64, to one that it has not.
    return x >= static_cast<double>(std::numeric_limits<T>::min()) &&
           x < static_cast<double>(std::numeric_limits<T>::max() / 2 + 1) * 2;
  }

  // Sets `is_gap` to 1 for missing and 0 for other numbers; returns whether any are missing.
  bool mark(const T* x, Index count, unsigned char* is_gap) const {
    if (!has_least && !has_most && !contains(x, count, values)) return false;
    std::fill_n(is_gap, count, static_cast<unsigned char>(0));
    for (const T value : values)
      for (Index k = 0; k < count; ++k) is_gap[k] |= static_cast<unsigned char>(x[k] == value);
    if (has_least)
      for (Index k = 0; k < count; ++k)
        is_gap[k] |= static_cast<unsigned char>(static_cast<double>(x[k]) < least);
    if (has_most)
      for (Index k = 0; k < count; ++k)
        is_gap[k] |= static_cast<unsigned char>(static_cast<double>(x[k]) > most);
    unsigned char any = 0;
    for (Index k = 0; k < count; ++k) any |= is_gap[k];
    return any != 0;
  }
  std::vector<T> values;
  bool has_least = false, has_most = false;
  double least = 0, most = 0;
};

constexpr Index kMarked = 1024;  // numbers that are looked at before they are changed

// Replaces missing numbers by nan.
template <class T>
void remove_gaps(T* x, Index size, const Gaps& gaps) {
  const GapsOf<T> of_type(gaps);
  unsigned char is_gap[kMarked];
  for (Index at = 0; at < size; at += kMarked) {
    const Index n = std::min(kMarked, size - at);
    if (!of_type.mark(x + at, n, is_gap)) continue;
    for (Index k = 0; k < n; ++k)
      if (is_gap[k]) x[at + k] = std::numeric_limits<T>::quiet_NaN();
  }
}

template <class T, class Work>
void by_marked_pieces(const T* x, Index size, const Gaps& gaps, const Work& work) {
  const GapsOf<T> of_type(gaps);
  by_pieces(size, [&](Index begin, Index end) {
    unsigned char is_gap[kMarked];
    for (Index k = begin; k < end; k += kMarked) {
      const Index n = std::min(kMarked, end - k);
      work(k, n, is_gap, of_type.mark(x + k, n, is_gap));
    }
  });
}

template <class T>
bool has_gaps(const Array& array, const Gaps& gaps) {
  std::atomic<bool> found{false};
  by_marked_pieces(array.data<T>(), array.size(), gaps, [&](Index, Index, const unsigned char*, bool any) {
    if (any) found = true;
  });
  return found;
}

// By float64, in which all integers below 2^53 and all of float32 are exact.
Array unpacked(Array array, const VariableNote& note) {
  const Gaps gaps(note);
  const bool is_packed = note.scale || note.offset;
  if (array.size() == 0 || (gaps.empty() && !is_packed)) return array;
  const auto size = array.size();
  const auto in_place = [&]<class T>(T* x) {
    by_pieces(size, [&](Index begin, Index end) { remove_gaps(x + begin, end - begin, gaps); });
    return std::move(array);
  };
  if (array.type() == ElementType::float32 && !is_packed) return in_place(array.mutable_data<float>());
  if (array.type() == ElementType::float64 && !is_packed) return in_place(array.mutable_data<double>());
  const bool is_whole = is_integer(array.type());
  if (is_whole && !is_packed && !visit_numeric(array.type(), [&]<class T>(Tag<T>) {
        if constexpr (std::is_integral_v<T>)
          return has_gaps<T>(array, gaps);
        else
          return false;
      }))
    return array;
  const bool is_in_place = array.type() == ElementType::float64;
  auto numbers = is_in_place ? Array() : Array(Array::Like{}, array, ElementType::float64);
  auto* const to = is_in_place ? array.mutable_data<double>() : numbers.mutable_data<double>();
  // The offset that keeps the sign of zero.
  const double scale = note.scale.value_or(1), offset = note.offset.value_or(-0.0);
  visit_numeric(array.type(), [&]<class T>(Tag<T>) {
    if constexpr (!std::is_same_v<T, Complex>) {
      const auto* const x = is_in_place ? nullptr : array.data<T>();
      const auto work = [&](const T* from) {
        by_marked_pieces(from, size, gaps, [&](Index at, Index n, const unsigned char* is_gap, bool any) {
          for (Index k = at; k < at + n; ++k) to[k] = static_cast<double>(from[k]) * scale + offset;
          for (Index k = 0; any && k < n; ++k)
            if (is_gap[k]) to[at + k] = std::numeric_limits<double>::quiet_NaN();
        });
      };
      if constexpr (std::is_same_v<T, double>)
        work(to);
      else
        work(x);
    }
  });
  return is_in_place ? array : numbers;
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
      // Removes rounding errors from times that are a multiple of a microsecond.
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

bool decodes_in_place(ElementType stored, const VariableNote& note) {
  return (stored == ElementType::float32 || stored == ElementType::float64) && !note.scale && !note.offset &&
         note.units.find(" since ") == std::string::npos;
}

void decode_in_place(void* numbers, ElementType type, Index size, const VariableNote& note) {
  const conventions::Gaps gaps(note);
  if (gaps.empty()) return;
  if (type == ElementType::float32)
    conventions::remove_gaps(static_cast<float*>(numbers), size, gaps);
  else
    conventions::remove_gaps(static_cast<double*>(numbers), size, gaps);
}

void VariableNote::take_limits(const std::vector<double>& valid_range, const std::vector<double>& valid_min,
                               const std::vector<double>& valid_max,
                               const std::function<double(double)>& packed) {
  if (valid_range.size() == 2) {
    least = packed(valid_range[0]);
    most = packed(valid_range[1]);
  }
  if (!valid_min.empty()) least = packed(valid_min[0]);
  if (!valid_max.empty()) most = packed(valid_max[0]);
}

std::string VariableNote::in_words() const {
  std::string out = fmt::format("{}\n{}\n{}\n{}", name, long_name, units, calendar);
  for (const double x : missing) out += fmt::format(" {}", x);
  for (const auto& x : {least, most, scale, offset}) out += x ? fmt::format(" {}", *x) : " none";
  return out;
}

LabelPtr label_of(const VariableNote& note) {
  if (note.units.empty() && note.long_name.empty()) return nullptr;
  return std::make_shared<Label>(Label{note.long_name.empty() ? note.name : note.long_name, note.units});
}

ElementType decoded_type(ElementType stored, const VariableNote& note) {
  const bool is_packed = note.scale || note.offset;
  if (!conventions::holds_reals(stored) || (stored == ElementType::float32 && !is_packed)) return stored;
  return is_packed || !conventions::Gaps(note).empty() ? ElementType::float64 : stored;
}

Array decoded(Array array, const VariableNote& note,
              const std::function<void(std::string message, std::string hint)>& warn) {
  using namespace conventions;
  if (!holds_reals(array.type())) {
    array.label = label_of(note);
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
  array.label = label_of(note);
  return array;
}

}  // namespace quill
