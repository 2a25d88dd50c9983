// Interface to the operating system: files, clock, output. The program uses the real one, tests use
// MemoryHost.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "base/open_file.h"

namespace quill {

// A value, or the reason, in words for the user, why there is none.
template <class T>
struct [[nodiscard]] Outcome {
  T value{};
  std::string reason;
  bool is_outside = false;  // outside of the permitted folders; the reason says no more
  bool is_missing = false;  // there is no such file
  bool ok() const { return reason.empty(); }
};
struct Done {};

// Folders below which a script may read or write.
using Folders = std::vector<std::string>;

// A file that a library writes, of about so many bytes: `make` writes it at the path of an empty file, `made`
// gets what it is.
struct FileMaker {
  std::int64_t bytes = 0;
  bool may_be_smaller = false;
  std::function<void(const std::string& path)> make;
  std::function<void(std::string_view bytes)> made;
};

class Host {
 public:
  virtual ~Host() = default;
  virtual Outcome<std::string> read_file(const std::string& path) = 0;
  // Replaces the whole file atomically, through a temporary file that is renamed. Creates missing folders.
  virtual Outcome<Done> write_file(const std::string& path, std::string_view bytes) = 0;
  // The same for names given by a script, confined to the folders: neither `..` nor symbolic links lead out
  // of them, even if they change meanwhile. The folders themselves are given by the user.
  virtual Outcome<std::string> read_below(const Folders& folders, const std::string& path) = 0;
  // The same, opened to read parts of it.
  virtual Outcome<OpenFilePtr> open_below(const Folders& folders, const std::string& path) = 0;
  virtual Outcome<Done> write_below(const Folders& folders, const std::string& path,
                                    std::string_view bytes) = 0;
  // The same for a file that a library writes, with its errors; without a copy where the system allows it.
  virtual Outcome<Done> make_below(const Folders& folders, const std::string& path, const FileMaker& maker);
  // Removes a file, confined in the same way. Succeeds if there is none.
  virtual Outcome<Done> remove_below(const Folders& folders, const std::string& path) = 0;
  // A text that changes when the file changes; "" if the system provides none.
  virtual std::string stamp(const std::string& path) = 0;
  virtual void print(std::string_view text) = 0;  // printed values (standard output)
  // The same for pictures, with colour sequences for a terminal.
  virtual void draw(std::string_view text) { print(text); }
  virtual void message(std::string_view text) = 0;  // errors, warnings, paths (standard error)
  virtual int columns() = 0;                        // width of the output of print()
  virtual double seconds() = 0;                     // monotonic clock
  virtual double time_of_day() = 0;                 // in seconds since 1970-01-01 (UTC)
  // A line typed at the terminal in answer to the question; a reason if there is no terminal.
  virtual Outcome<std::string> ask(const std::string& question) = 0;
};

// Has a temporary file made, and its bytes used.
void with_made_file(const FileMaker& maker, const std::function<void(std::string_view bytes)>& use);

// A host in memory, which can simulate failures.
class MemoryHost : public Host {
 public:
  Outcome<std::string> read_file(const std::string& path) override;
  Outcome<Done> write_file(const std::string& path, std::string_view bytes) override;
  Outcome<std::string> read_below(const Folders& folders, const std::string& path) override;
  Outcome<OpenFilePtr> open_below(const Folders& folders, const std::string& path) override;
  Outcome<Done> write_below(const Folders& folders, const std::string& path, std::string_view bytes) override;
  Outcome<Done> remove_below(const Folders& folders, const std::string& path) override;
  std::string stamp(const std::string&) override { return {}; }
  void print(std::string_view text) override { printed += text; }
  void message(std::string_view text) override { messages += text; }
  int columns() override { return width; }
  double seconds() override { return now; }
  double time_of_day() override { return started; }
  Outcome<std::string> ask(const std::string& question) override;

  std::map<std::string, std::string> files;
  std::string printed;
  std::string messages;
  std::string write_failure;         // if set, every write fails with this reason
  std::vector<std::string> answers;  // to questions, in order
  int width = 80;
  double now = 0;
  double started = 1780300000;
};

// `path` relative to `folder`, unless it is absolute.
std::string path_below(const std::string& folder, const std::string& path);
// Whether a path, compared as text, is the folder or lies below it.
bool is_below(const std::string& folder, const std::string& path);

}  // namespace quill
