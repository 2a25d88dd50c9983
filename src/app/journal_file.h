// Journals on disk: one file for each session, in the state folder of the XDG base directory specification.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/descriptor.h"
#include "base/host.h"
#include "session/journal.h"

namespace quill {

// The program's state folder, created if necessary; a reason if that fails.
Outcome<std::string> state_folder();

class JournalFile : public EntryLog {
 public:
  // Creates a file, or continues one after its first `size` bytes. A reason if another program uses it, or it
  // cannot be written.
  static Outcome<std::unique_ptr<JournalFile>> begin(Host& host, const JournalHead& head);
  // `size`: bytes of its complete lines; `read`: bytes of the file when it was read, which must not have
  // changed.
  static Outcome<std::unique_ptr<JournalFile>> go_on(Host& host, const std::string& path, std::size_t size,
                                                     std::size_t read);

  // The event is on disk when the function returns. A failure is reported once until writing works again;
  // complete lines stay intact, and lost lines are written before the next one.
  void tell(const JournalEvent& event) override;
  bool keep(int number, std::string_view bytes) override;
  std::optional<std::string> kept(int number) override;
  std::string folder_of_files() const override;
  const std::string& path() const { return path_; }

 private:
  JournalFile(Host& host, std::string path, Descriptor file, std::size_t size)
      : host_(host), path_(std::move(path)), file_(std::move(file)), size_(size) {}
  std::string append(const std::string& line);
  std::string kept_path(int number) const;

  Host& host_;
  std::string path_;
  Descriptor file_;
  std::size_t size_;  // bytes of complete lines
  std::string waiting_;
  bool has_failed_ = false;
};

// Stored sessions, latest first.
struct KeptSession {
  std::string path;
  std::string began, folder;
  std::filesystem::file_time_type written;  // distinguishes sessions begun in the same second
  std::string first_line;
  std::size_t entries = 0;
  bool is_open = false;  // in use by another program
  std::string problem;   // why it cannot be read; "" if it can
};
// One line each, numbered from the latest.
std::string text_of(const std::vector<KeptSession>& sessions);
// By number, or "last" for the latest of this folder. Throws Error if there is none.
const KeptSession& chosen_session(const std::vector<KeptSession>& sessions, const std::string& which);
std::vector<KeptSession> kept_sessions(Host& host, const std::string& folder_of_states);

}  // namespace quill
