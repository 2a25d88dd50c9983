// Storage for versions of files, addressed by fingerprint.
#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "base/host.h"

namespace quill {

// Fingerprint of bytes as text: their count and a digest. Never empty.
std::string fingerprint_of(std::string_view bytes);

class FileStore {
 public:
  static constexpr std::size_t kMostOnDisk = std::size_t{1} << 30, kMostInMemory = std::size_t{1} << 28;

  // Stores versions in a folder, created on first use, or in memory if `folder` is "".
  FileStore(Host& host, std::string folder)
      : host_(host), folder_(std::move(folder)), most_(folder_.empty() ? kMostInMemory : kMostOnDisk) {}

  // Returns false if the disk is full or the folder cannot be written.
  bool keep(const std::string& fingerprint, std::string_view bytes);
  // Returns nothing if the version is not stored, or its stored bytes are damaged.
  std::optional<std::string> find(const std::string& fingerprint) const;
  bool has(const std::string& fingerprint) const { return kept_.contains(fingerprint); }
  void limit(std::size_t bytes) { most_ = bytes; }

 private:
  std::string path_of(const std::string& fingerprint) const;

  Host& host_;
  std::string folder_;
  std::size_t most_, size_ = 0;
  std::map<std::string, std::string> kept_;  // fingerprint to bytes, if there is no folder
};

}  // namespace quill
