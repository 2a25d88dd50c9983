// Opens files below permitted folders component by component, holding each folder open, so that concurrent
// changes cannot redirect the path.
#pragma once

#include <deque>
#include <map>
#include <string>

#include "base/descriptor.h"
#include "base/host.h"

namespace quill {

class Sandbox {
 public:
  // An open file and its folder, or the reason why not.
  struct Found {
    Descriptor folder;
    std::string name;
    std::string reason{};
    bool is_outside = false;
    bool is_missing = false;
  };
  // Follows symbolic links that stay below one of the folders. With `to_write`, creates missing folders and
  // does not follow a final link.
  Found find(const Folders& folders, const std::string& path, bool to_write);

 private:
  struct Root {
    std::string path;       // as given, made absolute
    std::string canonical;  // with links resolved
    Descriptor folder;
  };
  using Parts = std::deque<std::string>;
  const Root* root_of(const std::string& folder, bool make);
  // The root that contains a path; removes the matching components from `rest`. Null and a reason if the root
  // exists but cannot be opened.
  const Root* nearest_root(const Folders& folders, Parts& rest, bool make, std::string& why_not);
  std::map<std::string, Root> roots_;  // by folder name
};

}  // namespace quill
