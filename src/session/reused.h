// What runs of one script with different inputs, one after the other in one process, have in common: its
// program, machine code of its loops, and values of files that it loads. Results do not depend on it.
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

// Values made of files, by the bytes of the files.
class LoadedValues {
 public:
  struct File {
    std::string sha256;
    std::map<std::string, Value> values;  // by how they were made
  };
  // Of the file with such a fingerprint; null when it is not known.
  File* find(const std::string& fingerprint) {
    const auto found = files_.find(fingerprint);
    return found == files_.end() ? nullptr : &found->second;
  }
  // Makes room for a file of so many bytes; null when there is none.
  File* add(const std::string& fingerprint, std::size_t size) {
    constexpr std::size_t most = std::size_t{1} << 28;  // of the bytes of all files
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
  // Of the script that was made ready last.
  std::string name, text, section;
  std::shared_ptr<const Tree> tree;
  std::shared_ptr<const Function> program;
};

}  // namespace quill
