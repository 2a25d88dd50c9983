#include "app/sandbox.h"

#include <fcntl.h>
#include <sys/stat.h>

#include <climits>
#include <cstring>
#include <filesystem>
#include <vector>

namespace quill {

namespace fs = std::filesystem;

namespace {

constexpr int kMostLinks = 40;

using Parts = std::deque<std::string>;

Parts parts_of(const fs::path& path) {
  Parts out;
  for (const auto& part : path.relative_path())
    if (!part.empty() && part != ".") out.push_back(part.string());
  return out;
}

// Number of leading parts that make up the folder's path; -1 if they differ.
int parts_to(const fs::path& folder, const Parts& parts) {
  const auto wanted = parts_of(folder);
  if (wanted.size() > parts.size()) return -1;
  return std::equal(wanted.begin(), wanted.end(), parts.begin()) ? static_cast<int>(wanted.size()) : -1;
}

std::string link_target(int link) {
  char target[PATH_MAX];
  const auto size = ::readlinkat(link, "", target, sizeof target);
  return size < 0 ? std::string() : std::string(target, static_cast<std::size_t>(size));
}

// Prepends the canonical path of the folder to the remaining parts.
void go_above(const std::string& canonical, Parts& rest) {
  auto folder = fs::path(canonical).parent_path();
  for (; !rest.empty() && rest.front() == ".."; rest.pop_front()) folder = folder.parent_path();
  const auto parts = parts_of(folder);
  rest.insert(rest.begin(), parts.begin(), parts.end());
}

// Opens an entry of a folder without following links; optionally creates a folder.
Descriptor entered(int folder, const std::string& name, bool make) {
  const auto open = [&] {
    return Descriptor(::openat(folder, name.c_str(), O_PATH | O_NOFOLLOW | O_CLOEXEC));
  };
  auto found = open();
  if (found.is_open() || !make || errno != ENOENT) return found;
  if (::mkdirat(folder, name.c_str(), 0777) != 0 && errno != EEXIST) return found;
  return open();
}

}  // namespace

const Sandbox::Root* Sandbox::root_of(const std::string& folder, bool make) {
  auto& root = roots_[folder];
  struct stat info {};
  // A removed folder has no links left, and may have been created again.
  if (root.folder.is_open() && ::fstat(root.folder.get(), &info) == 0 && info.st_nlink > 0) return &root;
  std::error_code error;
  root.path = fs::absolute(folder.empty() ? "." : folder, error).string();
  if (make) fs::create_directories(root.path, error);
  root.folder = Descriptor(::open(root.path.c_str(), O_PATH | O_DIRECTORY | O_CLOEXEC));
  if (!root.folder.is_open()) return nullptr;
  root.canonical = fs::canonical(root.path, error).string();
  return &root;
}

const Sandbox::Root* Sandbox::nearest_root(const Folders& folders, Parts& rest, bool make,
                                           std::string& why_not) {
  const Root* root = nullptr;
  int skipped = -1;
  why_not.clear();
  std::error_code error;
  for (const auto& folder : folders) {
    const bool leads_there = parts_to(fs::absolute(folder.empty() ? "." : folder, error), rest) >= 0;
    const auto* r = root_of(folder, make && leads_there);
    if (r == nullptr) {
      if (leads_there) why_not = system_reason();
      continue;
    }
    const auto n = std::max(parts_to(r->path, rest), parts_to(r->canonical, rest));
    if (n > skipped) {
      skipped = n;
      root = r;
    }
  }
  if (root) rest.erase(rest.begin(), rest.begin() + skipped);
  return root;
}

Sandbox::Found Sandbox::find(const Folders& folders, const std::string& path, bool to_write) {
  const auto failed = [](std::string reason, bool outside = false) {
    return Found{Descriptor(), "", std::move(reason), outside};
  };
  std::error_code error;
  const auto whole = fs::absolute(path, error);
  auto rest = parts_of(whole), probe = rest;
  std::string why_not;
  // A path that leaves the folder and returns to it.
  if (nearest_root(folders, probe, to_write, why_not) == nullptr) rest = parts_of(whole.lexically_normal());
  for (int ways = 0, links = 0; ways <= kMostLinks && links <= kMostLinks; ++ways) {
    const auto* root = nearest_root(folders, rest, to_write, why_not);
    if (root == nullptr) {
      auto out = failed(why_not.empty() ? "it is outside the allowed folders" : why_not, why_not.empty());
      out.is_missing = why_not == std::strerror(ENOENT);
      return out;
    }
    std::vector<Descriptor> held;
    bool leads_elsewhere = false;
    while (!rest.empty() && !leads_elsewhere && links <= kMostLinks) {
      const int here = held.empty() ? root->folder.get() : held.back().get();
      const auto name = rest.front();
      rest.pop_front();
      if (name == "..") {
        if (held.empty()) {
          go_above(root->canonical, rest);
          leads_elsewhere = true;
        } else {
          held.pop_back();
        }
        continue;
      }
      if (rest.empty() && to_write) return {Descriptor(::openat(here, ".", O_PATH | O_CLOEXEC)), name};
      auto next = entered(here, name, to_write);
      struct stat info {};
      if (!next.is_open() || ::fstat(next.get(), &info) != 0) {
        const bool is_missing = errno == ENOENT;
        auto out = failed(system_reason());
        out.is_missing = is_missing;
        return out;
      }
      if (S_ISLNK(info.st_mode)) {
        const fs::path target = link_target(next.get());
        const auto parts = parts_of(target);
        rest.insert(rest.begin(), parts.begin(), parts.end());
        leads_elsewhere = target.is_absolute();
        ++links;
      } else if (rest.empty()) {
        return {Descriptor(::openat(here, ".", O_PATH | O_CLOEXEC)), name};
      } else if (S_ISDIR(info.st_mode)) {
        held.push_back(std::move(next));
      } else {
        return failed(std::strerror(ENOTDIR));
      }
    }
    if (!leads_elsewhere && links <= kMostLinks) return failed("it is a folder");
  }
  return failed(std::strerror(ELOOP));
}

}  // namespace quill
