// State shared by runs of one script with different inputs in one process: compiled program, machine code of
// loops, values loaded from files. Results do not depend on it.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <string>

#include "compiler/program.h"
#include "engine/hot.h"
#include "language/tree.h"
#include "value/value.h"

namespace quill {

// Values loaded from files, by the fingerprint of the file.
class LoadedValues {
 public:
  struct File {
    std::string sha256;
    std::map<std::string, Value> values;  // by options of the load
  };
  // The file with this fingerprint, or null.
  File* find(const std::string& fingerprint) {
    const auto found = files_.find(fingerprint);
    return found == files_.end() ? nullptr : &found->second;
  }
  // Adds a file of this size; null if the cache would exceed its limit.
  File* add(const std::string& fingerprint, std::size_t size) {
    constexpr std::size_t most = std::size_t{1} << 28;  // bytes of all cached files
    if (size > most - size_) return nullptr;
    size_ += size;
    return &files_[fingerprint];
  }

 private:
  std::map<std::string, File> files_;
  std::size_t size_ = 0;
};

struct ReusedRun {
  explicit ReusedRun(NativeUse native) : hot(native) {}
  Module module;
  Hot hot;
  LoadedValues loaded;
  // Of the script that was compiled last.
  std::string name, text, section;
  std::shared_ptr<const Tree> tree;
  std::shared_ptr<const Function> program;
};

}  // namespace quill
