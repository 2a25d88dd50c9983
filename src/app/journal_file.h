// Journals on the disk: one file a session, below the folder of states of the XDG base directory rules.
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

// The program's folder of states, made when it is missing; a reason when it cannot be.
Outcome<std::string> state_folder();

class JournalFile : public EntryLog {
 public:
  // A new file, or one that is gone on with behind its first `size` bytes. A reason when another program has
  // it, or it cannot be written.
  static Outcome<std::unique_ptr<JournalFile>> begin(Host& host, const JournalHead& head);
  // `size`: of the whole lines in it; `read`: of all of it when it was read, which must be so still.
  static Outcome<std::unique_ptr<JournalFile>> go_on(Host& host, const std::string& path, std::size_t size,
                                                     std::size_t read);

  // On the disk when it comes back. When that fails it is reported, once until it works again; what stands in
  // the file stays whole, and what could not be written goes before the next.
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
  std::size_t size_;  // of what is whole
  std::string waiting_;
  bool has_failed_ = false;
};

// The sessions that were kept, the last one first.
struct KeptSession {
  std::string path;
  std::string began, folder;
  std::filesystem::file_time_type written;  // reports those apart that began in the same second
  std::string first_line;
  std::size_t entries = 0;
  bool is_open = false;  // another program goes on with it
  std::string problem;   // why it cannot be read; "" when it can
};
// A line each, numbered from the last one on.
std::string text_of(const std::vector<KeptSession>& sessions);
// By its number, or "last" for the last one of this folder. Error when there is none such.
const KeptSession& chosen_session(const std::vector<KeptSession>& sessions, const std::string& which);
std::vector<KeptSession> kept_sessions(Host& host, const std::string& folder_of_states);

}  // namespace quill
