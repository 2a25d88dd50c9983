// The journal of a session at the prompt: entries and actions on entries, one line of JSON each.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace quill {

inline constexpr int kJournalForm = 2;  // version of the file format; newer ones are refused

struct JournalHead {
  std::string version;  // of the program
  std::string began;    // ISO 8601, UTC
  std::string folder;   // current folder of the program
  std::string out;
  std::uint64_t seed = 1;
};

struct JournalEvent {
  enum class Kind : std::uint8_t {
    entry,    // entry `number` with `text` was accepted and starts to run
    outcome,  // outcome of the entry before
    undo,
    redo,
    edit,    // the text of entry `number` is being replaced by `text`
    edited,  // the replacement succeeded, or failed and changed nothing
    again,   // the entry before had no outcome when the session was resumed, and runs again
    file,    // first write to a path in this session; `written` is its previous content
  } kind = Kind::entry;
  int number = 0;
  std::string text{};
  bool failed = false;
  bool interrupted = false;  // the partial results of the entry are not restored
  double seconds = 0;
  std::vector<std::string> answers{};  // literals, in the order of the questions
  double time = 0;                     // result of now() in the entry, 0 if it was not called
  bool shows = false;                  // displays values, so depends on the number of digits
  bool makes_that = false;
  // A name that the entry assigned: fingerprint and description of its value.
  struct Given {
    std::string name, digest, contents;
  };
  std::vector<Given> given{};
  // Files read with their fingerprints; whether the results were saved, see EntryLog.
  std::vector<std::pair<std::string, std::string>> read{};
  bool is_kept = false;
  std::vector<std::pair<std::string, std::string>> written{};  // files written, with their fingerprints
};

// Stores journal events, on disk if possible.
class EntryLog {
 public:
  virtual ~EntryLog() = default;
  virtual void tell(const JournalEvent& event) = 0;
  // Saves the results of an entry that took long, so that resuming need not run it again. Returns false if
  // that failed.
  virtual bool keep(int /*number*/, std::string_view /*bytes*/) { return false; }
  // The saved results of an entry, if there are any.
  virtual std::optional<std::string> kept(int /*number*/) { return std::nullopt; }
  // Folder for versions of files; "" to store none on disk.
  virtual std::string folder_of_files() const { return {}; }
};

// One line each, including the line end.
std::string journal_line(const JournalHead& head);
std::string journal_line(const JournalEvent& event);

struct Journal {
  JournalHead head;
  std::vector<JournalEvent> events;
  std::size_t size = 0;  // bytes of the complete lines that could be read
  std::size_t read = 0;  // total bytes
  bool is_torn = false;  // the last line is incomplete, since the program ended while writing it
  std::string damage;    // why reading stopped before the end; "" if it did not
};
// Throws Error, naming the file, if the text is not a journal or has a newer format.
Journal read_journal(const std::string& text, const std::string& name);

}  // namespace quill
