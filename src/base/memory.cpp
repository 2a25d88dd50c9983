#include "base/memory.h"

#include <fmt/format.h>
#include <malloc.h>

#include <cstdlib>
#include <new>

#include "base/allocation_failure.h"
#include "base/interrupt.h"
#include "base/number.h"

namespace quill {

namespace {

constexpr std::int64_t kLarge = 1 << 20;              // such a piece is compared with the ceiling by itself
constexpr std::int64_t kFar = std::int64_t{1} << 25;  // so far above the ceiling nothing more is given

std::atomic<std::int64_t> floor_held{0};  // memory in use when the limit was set
std::atomic<std::int64_t> ceiling{0};
std::atomic<bool> is_far_above{false};       // or an allocation is to fail
std::atomic<std::int64_t> left_to_fail{-1};  // see fail_allocation_after()
thread_local bool is_limited = true;         // see WithoutMemoryLimit

bool fails_now() {
  if (left_to_fail.load(std::memory_order_relaxed) < 0) return true;
  return left_to_fail.fetch_sub(1, std::memory_order_relaxed) == 0;
}

}  // namespace

WithoutMemoryLimit::WithoutMemoryLimit() : held_(memory_held()) { is_limited = false; }
WithoutMemoryLimit::~WithoutMemoryLimit() {
  account_memory(held_ - memory_held());
  is_limited = true;
}

bool fail_allocation_after(std::int64_t count) {
  const bool is_pending = left_to_fail.exchange(count) >= 0;
  is_far_above = count >= 0;
  return is_pending;
}

void detail::pass_on_memory() {
  auto& pending = memory_pending;
  const auto added = pending;
  const auto held = memory_held.fetch_add(added, std::memory_order_relaxed) + added;
  pending = 0;
  for (auto most = memory_most.load(std::memory_order_relaxed); held > most;)
    if (memory_most.compare_exchange_weak(most, held, std::memory_order_relaxed)) break;
  const auto allowed = ceiling.load(std::memory_order_relaxed);
  if (allowed == 0) return;
  const auto above = held - floor_held.load(std::memory_order_relaxed) - allowed;
  if (above > 0 && added > 0) request_memory_check();
  const bool is_to_fail = left_to_fail.load(std::memory_order_relaxed) >= 0;
  is_far_above.store((above > kFar && added > 0) || is_to_fail, std::memory_order_relaxed);
}

void set_memory_ceiling(std::int64_t bytes) {
  floor_held = memory_held();
  ceiling = bytes;
  is_far_above = false;
  clear_memory_check();
}

bool is_beyond_ceiling(std::int64_t more) {
  const auto allowed = ceiling.load(std::memory_order_relaxed);
  return allowed > 0 && memory_held() - floor_held.load(std::memory_order_relaxed) + more > allowed;
}

double memory_share_in_use() {
  const auto allowed = ceiling.load(std::memory_order_relaxed);
  return allowed > 0 ? static_cast<double>(memory_held() - floor_held.load(std::memory_order_relaxed)) /
                           static_cast<double>(allowed)
                     : 0;
}

std::string ceiling_in_words() {
  if (ceiling == 0) return {};
  const auto used = std::max<std::int64_t>(memory_held() - floor_held, 0);
  return fmt::format("the limit is {}, and {} are in use",
                     bytes_in_prose(static_cast<double>(ceiling.load())),
                     bytes_in_prose(static_cast<double>(used)));
}

namespace {

// May throw, leaving room for the error report.
void* allocate(std::size_t size) {
  const auto bytes = static_cast<std::int64_t>(size);
  if (bytes >= kLarge && is_limited && is_beyond_ceiling(bytes)) throw std::bad_alloc();
  if (is_far_above.load(std::memory_order_relaxed) && is_limited && fails_now()) [[unlikely]] {
    is_far_above.store(false, std::memory_order_relaxed);
    throw std::bad_alloc();
  }
  void* piece = std::malloc(size == 0 ? 1 : size);
  if (piece == nullptr) throw std::bad_alloc();
  account_memory(static_cast<std::int64_t>(malloc_usable_size(piece)));
  return piece;
}

void release(void* piece) noexcept {
  if (piece == nullptr) return;
  account_memory(-static_cast<std::int64_t>(malloc_usable_size(piece)));
  std::free(piece);
}

}  // namespace

}  // namespace quill

namespace {

void* allocate_or_null(std::size_t size) noexcept {
  try {
    return quill::allocate(size);
  } catch (const std::bad_alloc&) { return nullptr; }
}

}  // namespace

// All overloads, since sanitizers replace those that are missing.
void* operator new(std::size_t size) { return quill::allocate(size); }
void* operator new[](std::size_t size) { return quill::allocate(size); }
void* operator new(std::size_t size, const std::nothrow_t&) noexcept { return allocate_or_null(size); }
void* operator new[](std::size_t size, const std::nothrow_t&) noexcept { return allocate_or_null(size); }
void operator delete(void* piece) noexcept { quill::release(piece); }
void operator delete[](void* piece) noexcept { quill::release(piece); }
void operator delete(void* piece, std::size_t) noexcept { quill::release(piece); }
void operator delete[](void* piece, std::size_t) noexcept { quill::release(piece); }
void operator delete(void* piece, const std::nothrow_t&) noexcept { quill::release(piece); }
void operator delete[](void* piece, const std::nothrow_t&) noexcept { quill::release(piece); }
