#include "session/file_store.h"

#include <fmt/format.h>

#include "files/digest.h"

namespace quill {

std::string fingerprint_of(std::string_view bytes) {
  return fmt::format("{}:{}", bytes.size(), sha256_of(fingerprints_of_pieces(bytes.data(), bytes.size())));
}

std::string FileStore::path_of(const std::string& fingerprint) const {
  return path_below(folder_, fingerprint.substr(fingerprint.find(':') + 1));
}

bool FileStore::keep(const std::string& fingerprint, std::string_view bytes) {
  if (has(fingerprint)) return true;
  if (bytes.size() > most_ - size_) return false;
  if (folder_.empty()) {
    kept_[fingerprint] = bytes;
  } else {
    if (!find(fingerprint) && !host_.write_file(path_of(fingerprint), bytes).ok()) return false;
    kept_[fingerprint];
  }
  size_ += bytes.size();
  return true;
}

std::optional<std::string> FileStore::find(const std::string& fingerprint) const {
  if (folder_.empty()) {
    const auto kept = kept_.find(fingerprint);
    return kept == kept_.end() ? std::nullopt : std::optional(kept->second);
  }
  auto read = host_.read_file(path_of(fingerprint));
  if (!read.ok() || fingerprint_of(read.value) != fingerprint) return std::nullopt;
  return std::move(read.value);
}

}  // namespace quill
