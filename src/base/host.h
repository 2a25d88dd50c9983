// The outside world behind one small interface: files, clock, output. The program brings the real
// one, tests bring MemoryHost.
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "base/open_file.h"

namespace quill {

// An expected outcome that may not have worked; `reason` says why, in words for the user.
template <class T>
struct [[nodiscard]] Outcome {
  T value{};
  std::string reason;
  bool is_outside = false;  // of the folders that were allowed; the reason says no more
  bool is_missing = false;  // there is no such file
  bool ok() const { return reason.empty(); }
};
struct Done {};

// The folders below which a script reads, or writes.
using Folders = std::vector<std::string>;

class Host {
 public:
  virtual ~Host() = default;
  virtual Outcome<std::string> read_file(const std::string& path) = 0;
  // Writes the whole file or leaves what was there: through a temporary file that is renamed.
  // Makes missing folders.
  virtual Outcome<Done> write_file(const std::string& path, std::string_view bytes) = 0;
  // The same for what a script names: no way leads out of the folders, neither `..` nor symbolic links, also
  // when they change meanwhile. The folders themselves are where the user says.
  virtual Outcome<std::string> read_below(const Folders& folders, const std::string& path) = 0;
  // The same, for reading it in parts.
  virtual Outcome<OpenFilePtr> open_below(const Folders& folders, const std::string& path) = 0;
  virtual Outcome<Done> write_below(const Folders& folders, const std::string& path,
                                    std::string_view bytes) = 0;
  // Takes a file away, in the same way. Nothing to do when there is none.
  virtual Outcome<Done> remove_below(const Folders& folders, const std::string& path) = 0;
  // Something that is another when the file has changed; "" when that cannot be reported from outside.
  virtual std::string stamp(const std::string& path) = 0;
  virtual void print(std::string_view text) = 0;  // printed values (standard output)
  // The same of a picture, with what a terminal takes for colours.
  virtual void draw(std::string_view text) { print(text); }
  virtual void message(std::string_view text) = 0;  // errors, warnings, paths (standard error)
  virtual int columns() = 0;                        // width of the place that print() goes to
  virtual double seconds() = 0;                     // a clock that only goes forward
  virtual double time_of_day() = 0;                 // in seconds since 1970-01-01 (UTC)
  // The line that somebody at a terminal answers with; a reason when there is no terminal.
  virtual Outcome<std::string> ask(const std::string& question) = 0;
};

// A host in memory, with failures on demand.
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
  std::string write_failure;         // when set, every write fails with it
  std::vector<std::string> answers;  // to questions, in order
  int width = 80;
  double now = 0;
  double started = 1780300000;
};

// `path` as seen from `folder`, unless it is absolute already.
std::string path_below(const std::string& folder, const std::string& path);
// Whether a path, by its letters alone, lies in a folder or below it.
bool is_below(const std::string& folder, const std::string& path);

}  // namespace quill
