// Array descriptions for native code, and operations on small arrays.
#include <algorithm>
#include <array>
#include <bit>
#include <cmath>

#include "array/index.h"
#include "engine/native_run.h"

namespace quill {

std::int64_t describe_array(native::Run& run, const Value& value) {
  const auto type = native::observed(value);
  if (type.form != native::Form::memory || type.axes == 0) return -1;
  const auto& a = value.array();
  run.results[0] = reinterpret_cast<std::int64_t>(a.raw_data());
  for (int k = 0; k < type.axes; ++k) {
    run.results[1 + k] = a.extent(k);
    run.results[4 + k] = a.strides()[k];
  }
  return native::array_code(type);
}

void make_own(Value& value) {
  auto& a = value.own_array();
  if (a.shares_storage()) a = a.copied();
}

void store_slice(Value& target, const Array& whole, int axes, const std::int64_t* description) {
  const auto bytes = *description++ - reinterpret_cast<std::int64_t>(whole.raw_data());
  Shape shape;
  Strides strides;
  for (int k = 0; k < axes; ++k) {
    shape.push_back(*description++);
    strides.push_back(*description++);
  }
  const Index offset = whole.offset() + bytes / static_cast<std::int64_t>(size_of(whole.type()));
  target = Value::array(apart_if_small(whole.view(offset, shape, strides), whole));
}

namespace {

struct Described {
  const double* data = nullptr;
  int axes = 0;
  const std::int64_t *extents = nullptr, *strides = nullptr;

  Described() = default;
  Described(const native::Run& run, int k) {
    static constexpr std::int64_t one = 1;
    const Index which = k;
    const auto* const slot = run.results + native::kFirstPart + native::kPartSize * which;
    const auto at = [](const std::int64_t* place) {
      return static_cast<const double*>(static_cast<const void*>(place));
    };
    if (slot[0] == 0) {
      data = at(slot + 1);
    } else if (slot[0] < 0) {
      data = at(run.results + native::kFirstVector + native::kMostItems * which);
      axes = 1;
      length = -slot[0];
      strides = &one;
    } else {
      data = std::bit_cast<const double*>(slot[1]);
      axes = static_cast<int>(slot[0]);
      extents = slot + 2;
      strides = slot + 5;
    }
  }
  Index extent(int axis) const { return extents ? extents[axis] : length; }
  bool has_shape_of(const Described& other) const {
    if (axes != other.axes) return false;
    for (int k = 0; k < axes; ++k)
      if (extent(k) != other.extent(k)) return false;
    return true;
  }
  Index size() const {
    Index out = 1;
    for (int k = 0; k < axes; ++k) out *= extent(k);
    return out;
  }
  bool is_in_row_order() const {
    Index step = 1;
    for (int k = axes - 1; k >= 0; --k) {
      if (extent(k) > 1 && strides[k] != step) return false;
      step *= extent(k);
    }
    return true;
  }
  // Calls f(offset) for all elements in row order.
  template <class F>
  void for_each(F f) const {
    std::array<Index, 3> n{1, 1, 1}, step{};
    auto at = n.size() - static_cast<std::size_t>(axes);
    for (int k = 0; k < axes; ++k, ++at) {
      n[at] = extent(k);
      step[at] = strides[k];
    }
    for (Index i = 0; i < n[0]; ++i)
      for (Index j = 0; j < n[1]; ++j) {
        Index offset = i * step[0] + j * step[1];
        for (Index k = 0; k < n[2]; ++k, offset += step[2]) f(offset);
      }
  }

 private:
  Index length = 1;
};

// Storage for elements of operands and result.
struct Room {
  std::array<std::array<double, fusion::Fused::kMostPlain>, native::kMostParts + 1> blocks;
};
Room& room() {
  static thread_local const auto one = std::make_unique<Room>();
  return *one;
}

// The unshared array in the register, if no operand overlaps it, as storage for the result.
double* reusable(Value& target, const Described& like, std::span<const Described> operands) {
  if (!target.is(Kind::array) || target.object<ArrayObject>().use_count() != 1) return nullptr;
  auto& a = target.array_to_change();
  if (a.type() != ElementType::float64 || a.axes() != like.axes || a.label || a.shares_storage() ||
      !a.is_row_major())
    return nullptr;
  for (int k = 0; k < a.axes(); ++k)
    if (a.extent(k) != like.extent(k)) return nullptr;
  double* const data = a.mutable_data<double>();
  const auto buffer_begin = std::bit_cast<std::uintptr_t>(data - a.offset());
  const auto end = std::bit_cast<std::uintptr_t>(data + a.size());
  for (const auto& operand : operands) {
    const auto at = std::bit_cast<std::uintptr_t>(operand.data);
    // An operand lies entirely in one storage.
    if (operand.axes > 0 && at >= buffer_begin && at < end) return nullptr;
  }
  return data;
}

void put(const double* from, const Described& to) {
  auto* const out = const_cast<double*>(to.data);  // NOLINT: the loop owns it
  if (to.is_in_row_order())
    std::copy_n(from, to.size(), out);
  else
    to.for_each([&](Index offset) { out[offset] = *from++; });
}

}  // namespace

std::int64_t evaluate_parts(native::Run& run, std::int64_t to, Value* target, int count,
                            const native::Parts& parts) {
  constexpr std::int64_t done = 1, refused = 2;
  std::array<Described, native::kMostParts + 1> all;
  for (int k = 0; k <= count; ++k)
    if (k < count || to == -2) all[static_cast<std::size_t>(k)] = Described(run, k);
  const std::span operands(all.data(), static_cast<std::size_t>(count));
  const Described* like = to == -2 ? &all[static_cast<std::size_t>(count)] : nullptr;
  for (const auto& operand : operands) {
    if (operand.axes == 0) continue;
    if (!like) like = &operand;
    if (!operand.has_shape_of(*like)) return refused;
  }
  if (!like) return refused;
  const Index size = like->size();
  if (size < 1 || size > fusion::Fused::kMostPlain) return refused;
  auto& blocks = room().blocks;
  std::array<fusion::Fused::Plain, native::kMostParts> plain;
  for (std::size_t k = 0; k < operands.size(); ++k) {
    const auto& operand = operands[k];
    plain[k] = {operand.data, operand.axes == 0, parts.literals[k]};
    if (operand.is_in_row_order()) continue;
    double* out = blocks[k].data();
    plain[k].data = out;
    operand.for_each([&](Index offset) { *out++ = operand.data[offset]; });
  }
  double* const block = blocks.back().data();
  if (!parts.fused) {
    if (plain[0].is_single)
      std::fill_n(block, size, *plain[0].data);
    else
      std::copy_n(plain[0].data, size, block);
    put(block, *like);
    return done;
  }
  const auto count_pass = [&] {
    if (!parts.region) return;
    ++parts.region->passes;
    parts.region->elements_passed = std::max(parts.region->elements_passed, size);
  };
  const std::span<const fusion::Fused::Plain> inputs(plain.data(), operands.size());
  fusion::Fused::PlainOutcome outcome;
  if (to == -1) {
    // The reduction reports the consequences of nan.
    if (!parts.fused->evaluate_plain(inputs, size, nullptr, outcome) || !std::isfinite(outcome.number) ||
        outcome.type != (parts.type == ElementType::int64 ? ElementType::boolean : parts.type))
      return refused;  // sums of booleans are counts
    double x = outcome.number;
    if (parts.fused->expression().divides) x /= static_cast<double>(size);
    run.results[0] = std::bit_cast<std::int64_t>(x);
    count_pass();
    return done;
  }
  if (to == -2) {
    if (!parts.fused->evaluate_plain(inputs, size, block, outcome) || outcome.type != ElementType::float64)
      return refused;
    put(block, *like);
    count_pass();
    return done;
  }
  double* const there = parts.type == ElementType::float64 ? reusable(*target, *like, operands) : nullptr;
  if (!parts.fused->evaluate_plain(inputs, size, block, outcome) || outcome.type != parts.type)
    return refused;
  if (there) {
    std::copy_n(block, size, there);
  } else {
    Shape shape;
    for (int k = 0; k < like->axes; ++k) shape.push_back(like->extent(k));
    Array made(parts.type, shape);
    if (parts.type == ElementType::float64)
      std::copy_n(block, size, made.mutable_data<double>());
    else
      std::copy_n(static_cast<const bool*>(static_cast<const void*>(block)), size, made.mutable_data<bool>());
    *target = Value::array(std::move(made));
  }
  count_pass();
  describe_array(run, *target);
  return done;
}

}  // namespace quill
