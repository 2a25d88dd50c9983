#include "files/digest.h"

#include <fmt/format.h>
#include <openssl/evp.h>

#include <algorithm>
#include <stdexcept>

#include "base/parallel.h"
#include "files/xxh3.h"

namespace quill {

struct Sha256::State {
  EVP_MD_CTX* context = EVP_MD_CTX_new();
};

namespace {

// Fetched once: finding the algorithm takes longer than a short digest.
const EVP_MD* algorithm() {
  static const EVP_MD* const found = EVP_MD_fetch(nullptr, "SHA256", nullptr);
  return found;
}

void check(int success) {
  if (success != 1) throw std::runtime_error("SHA-256 is not available");
}

}  // namespace

Sha256::Sha256() : state_(std::make_unique<State>()) {
  check(EVP_DigestInit_ex2(state_->context, algorithm(), nullptr));
}
Sha256::~Sha256() { EVP_MD_CTX_free(state_->context); }

void Sha256::add(const void* bytes, std::size_t size) {
  check(EVP_DigestUpdate(state_->context, bytes, size));
}

std::string Sha256::digest() {
  unsigned char bytes[32];
  unsigned size = 0;
  check(EVP_DigestFinal_ex(state_->context, bytes, &size));
  check(EVP_DigestInit_ex2(state_->context, nullptr, nullptr));
  static constexpr char kDigits[] = "0123456789abcdef";
  std::string out;
  out.reserve(64);
  for (const auto byte : bytes) {
    out += kDigits[byte >> 4];
    out += kDigits[byte & 15];
  }
  return out;
}

std::string sha256_of(std::string_view bytes) {
  Sha256 sum;
  sum.add(bytes);
  return sum.digest();
}

std::string fingerprints_of_pieces(const void* bytes, std::size_t size) {
  const auto* from = static_cast<const char*>(bytes);
  const auto pieces = (size + kDigestPiece - 1) / kDigestPiece;
  std::string out(pieces * sizeof(XXH128_canonical_t), '\0');
  in_parallel(static_cast<Index>(pieces), [&](Index k) {
    const auto at = static_cast<std::size_t>(k) * kDigestPiece;
    XXH128_canonical_t canonical;
    XXH128_canonicalFromHash(&canonical, XXH3_128bits(from + at, std::min(kDigestPiece, size - at)));
    std::copy_n(canonical.digest, sizeof canonical,
                out.begin() + static_cast<std::ptrdiff_t>(static_cast<std::size_t>(k) * sizeof canonical));
  });
  return out;
}

}  // namespace quill
