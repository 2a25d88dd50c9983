#include "array/buffer.h"

#include <fmt/format.h>

#include <cassert>
#include <cstdint>
#include <cstdlib>
#include <memory>
#include <new>

#include "base/error.h"
#include "base/large_pieces.h"
#include "base/memory.h"
#include "base/pool.h"

namespace quill {

std::string_view name_of(ElementType type) {
  switch (type) {
    case ElementType::float64: return "float64";
    case ElementType::float32: return "float32";
    case ElementType::int32: return "int32";
    case ElementType::int64: return "int64";
    case ElementType::uint8: return "uint8";
    case ElementType::complex128: return "complex128";
    case ElementType::boolean: return "bool";
    case ElementType::text: return "text";
    case ElementType::any: return "any";
  }
  return "";
}

static_assert(sizeof(Buffer) <= Buffer::kAlignment);

namespace {

MemoryUse use;
// Pieces for a header and some elements, of a few sizes, come from lists.
struct ShortPieces {
  Index bytes;  // of elements
  void* (*take)();
  void (*give)(void* piece);
};
template <Index bytes>
constexpr ShortPieces short_pieces() {
  using List = FreeList<static_cast<std::size_t>(bytes) + Buffer::kAlignment, Buffer::kAlignment>;
  return {bytes, List::take, List::give};
}
constexpr ShortPieces kShort[] = {short_pieces<64>(), short_pieces<256>(), short_pieces<1024>(),
                                  short_pieces<4096>(), short_pieces<8192>()};
const ShortPieces* short_pieces_for(Index bytes) {
  for (const auto& pieces : kShort)
    if (bytes <= pieces.bytes) return &pieces;
  return nullptr;
}

}  // namespace

namespace {

void count(Index bytes) {
  use.arrays += bytes > 0;
  use.bytes += bytes;
  use.bytes_now += bytes;
}

}  // namespace

const MemoryUse& memory_use() { return use; }

boost::intrusive_ptr<Buffer> Buffer::make(ElementType type, Index size) {
  // A few numbers, made in every step of a calculation, take the short way.
  constexpr Index some = 1024;
  if (size <= some && is_numeric(type)) {
    const auto bytes = static_cast<Index>(quill::size_of(type)) * size;
    if (const auto* pieces = short_pieces_for(bytes))
      if (void* memory = pieces->take()) {
        count(bytes);
        return boost::intrusive_ptr<Buffer>(::new (memory) Buffer(type, size));
      }
  }
  return make_large(type, size);
}

boost::intrusive_ptr<Buffer> Buffer::make_large(ElementType type, Index size) {
  constexpr Index alignment = kAlignment;
  const auto refuse = [&] {
    fail_hindered(
        fmt::format("not enough memory: {} elements of {} need {}", grouped(size), name_of(type),
                    bytes_in_prose(static_cast<double>(size) * static_cast<double>(quill::size_of(type)))),
        ceiling_in_words());
  };
  const auto wanted = checked_product(size, static_cast<Index>(quill::size_of(type)));
  if (!wanted || *wanted > (Index{1} << 50) || is_beyond_ceiling(*wanted)) refuse();
  const auto bytes = std::max<Index>((*wanted + alignment - 1) / alignment * alignment, alignment);
  const auto whole = static_cast<std::size_t>(bytes) + kAlignment;
  LargePiece piece;
  void* memory = nullptr;
  const auto* pieces = short_pieces_for(bytes);
  if (pieces)
    memory = pieces->take();
  else if (whole < kLargePiece)
    memory = std::aligned_alloc(alignment, whole);
  else
    memory = (piece = take_large_piece(whole)).memory;
  if (memory == nullptr) refuse();
  if (!pieces) account_memory(static_cast<Index>(whole));  // the small ones their list has reported
  assert(reinterpret_cast<std::uintptr_t>(memory) % kAlignment == 0);
  const boost::intrusive_ptr<Buffer> buffer(::new (memory) Buffer(type, size, piece.size));
  if (!is_numeric(type))
    visit_type(type, [&]<class T>(Tag<T>) {
      if constexpr (!std::is_trivially_destructible_v<T>)
        std::uninitialized_value_construct_n(static_cast<T*>(buffer->data()), size);
    });
  count(*wanted);
  return buffer;
}

void Buffer::operator delete(Buffer* buffer, std::destroying_delete_t) {
  if (!is_numeric(buffer->type_))
    visit_type(buffer->type_, [&]<class T>(Tag<T>) {
      if constexpr (!std::is_trivially_destructible_v<T>)
        std::destroy_n(static_cast<T*>(buffer->data()), buffer->size_);
    });
  const auto bytes = static_cast<std::size_t>(buffer->size_) * quill::size_of(buffer->type_);
  use.bytes_now -= static_cast<Index>(bytes);
  const auto* pieces = short_pieces_for(static_cast<Index>(bytes));
  const LargePiece piece{buffer, buffer->piece_};
  buffer->~Buffer();
  if (pieces) return pieces->give(buffer);
  account_memory(-static_cast<Index>((bytes + kAlignment - 1) / kAlignment * kAlignment + kAlignment));
  if (piece.size > 0)
    give_large_piece(piece);
  else
    std::free(buffer);
}

}  // namespace quill
