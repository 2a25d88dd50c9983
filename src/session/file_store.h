// The bytes of versions of files, by their fingerprints.
#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "base/host.h"

namespace quill {

// Of bytes: their number and a digest, as text; never empty.
std::string fingerprint_of(std::string_view bytes);

class FileStore {
 public:
  static constexpr std::size_t kMostOnDisk = std::size_t{1} << 30, kMostInMemory = std::size_t{1} << 28;

  // In a folder, which is made when something is kept; in memory when it is "".
  FileStore(Host& host, std::string folder)
      : host_(host), folder_(std::move(folder)), most_(folder_.empty() ? kMostInMemory : kMostOnDisk) {}

  // False when there is no room for it, or the folder cannot be written.
  bool keep(const std::string& fingerprint, std::string_view bytes);
  // Nothing when it was not kept, or what lies there is something else.
  std::optional<std::string> find(const std::string& fingerprint) const;
  bool has(const std::string& fingerprint) const { return kept_.contains(fingerprint); }
  void limit(std::size_t bytes) { most_ = bytes; }

 private:
  std::string path_of(const std::string& fingerprint) const;

  Host& host_;
  std::string folder_;
  std::size_t most_, size_ = 0;
  std::map<std::string, std::string> kept_;  // the bytes stand here when there is no folder
};

}  // namespace quill
