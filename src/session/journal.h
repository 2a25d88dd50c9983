// The journal of a session at the prompt: every entry, and what was done with entries, a line of JSON each.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace quill {

inline constexpr int kJournalForm = 2;  // of the file; a reader refuses what is newer

struct JournalHead {
  std::string version;  // of the program
  std::string began;    // ISO 8601, UTC
  std::string folder;   // that the program stood in
  std::string out;
  std::uint64_t seed = 1;
};

struct JournalEvent {
  enum class Kind : std::uint8_t {
    entry,    // `number` and `text` were accepted, and run from here on
    outcome,  // of the entry before
    undo,
    redo,
    edit,    // entry `number` is `text` from here on
    edited,  // or it failed, and all stayed as it was
    again,   // the entry before had no outcome when the session was taken up again
    file,    // a file is about to be written for the first time; `written` is what lay there
  } kind = Kind::entry;
  int number = 0;
  std::string text{};
  bool failed = false;
  bool interrupted = false;  // what it gave by then is not given again
  double seconds = 0;
  std::vector<std::string> answers{};  // literals, in the order of the questions
  double time = 0;                     // that the entry took for now, 0 when it did not ask
  bool shows = false;                  // values, with the digits that are set
  bool makes_that = false;
  // The names that it gave a value: fingerprint and description.
  struct Given {
    std::string name, digest, contents;
  };
  std::vector<Given> given{};
  // Files that it read, and their fingerprints; whether what it gave was kept, see EntryLog.
  std::vector<std::pair<std::string, std::string>> read{};
  bool is_kept = false;
  std::vector<std::pair<std::string, std::string>> written{};  // files that it wrote, and their fingerprints
};

// Keeps what is reported, on a disk where it can.
class EntryLog {
 public:
  virtual ~EntryLog() = default;
  virtual void tell(const JournalEvent& event) = 0;
  // Keeps what an entry gave that took long, so that it need not run again; false when that failed.
  virtual bool keep(int /*number*/, std::string_view /*bytes*/) { return false; }
  // What was kept so; nothing when it is not there.
  virtual std::optional<std::string> kept(int /*number*/) { return std::nullopt; }
  // Where versions of files are kept; "" for nowhere on the disk.
  virtual std::string folder_of_files() const { return {}; }
};

// A line each, with its end.
std::string journal_line(const JournalHead& head);
std::string journal_line(const JournalEvent& event);

struct Journal {
  JournalHead head;
  std::vector<JournalEvent> events;
  std::size_t size = 0;  // bytes of the whole lines that could be read
  std::size_t read = 0;  // bytes in all
  bool is_torn = false;  // the program was stopped while it wrote the last line
  std::string damage;    // why reading ended before the end; "" when it did not
};
// Error when it is no journal or is of a newer form; it names the file.
Journal read_journal(const std::string& text, const std::string& name);

}  // namespace quill
