// The way from a folder to a file, step by step with each folder held open, so that nothing that is changed
// on the way leads out of it.
#pragma once

#include <deque>
#include <map>
#include <string>

#include "base/descriptor.h"
#include "base/host.h"

namespace quill {

class Sandbox {
 public:
  // A file and the folder that it lies in; or why not.
  struct Found {
    Descriptor folder;
    std::string name;
    std::string reason{};
    bool is_outside = false;
    bool is_missing = false;
  };
  // Follows symbolic links as long as they stay below one of the folders. With `to_write` missing folders are
  // made and a link at the end is not followed.
  Found find(const Folders& folders, const std::string& path, bool to_write);

 private:
  struct Root {
    std::string path;       // as spelled, made absolute
    std::string canonical;  // without links
    Descriptor folder;
  };
  using Parts = std::deque<std::string>;
  const Root* root_of(const std::string& folder, bool make);
  // The root that holds a path, which loses the parts that lead there; null and a reason when it exists and
  // cannot be entered.
  const Root* nearest_root(const Folders& folders, Parts& rest, bool make, std::string& why_not);
  std::map<std::string, Root> roots_;  // by the name of the folder
};

}  // namespace quill
