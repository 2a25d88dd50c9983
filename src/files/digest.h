// Digests of bytes.
#pragma once

#include <cstddef>
#include <memory>
#include <string>
#include <string_view>

namespace quill {

// SHA-256 (FIPS 180-4) by libcrypto, incremental or at once.
class Sha256 {
 public:
  Sha256();
  ~Sha256();
  Sha256(const Sha256&) = delete;
  Sha256& operator=(const Sha256&) = delete;
  void add(const void* bytes, std::size_t size);
  void add(std::string_view text) { add(text.data(), text.size()); }
  // 64 hexadecimal digits of everything added; resets the object.
  std::string digest();

 private:
  struct State;
  std::unique_ptr<State> state_;
};
std::string sha256_of(std::string_view bytes);

// For large data, for which SHA-256 would take seconds: concatenated XXH3 (128 bits) of each MiB, computed on
// all threads. To be added to a Sha256.
std::string fingerprints_of_pieces(const void* bytes, std::size_t size);
inline constexpr std::size_t kDigestPiece = std::size_t{1} << 20;

}  // namespace quill
