// The journal of a study: one line for each finished case, from which an interrupted study continues. A line
// begins with the first digits of its SHA-256; incomplete or damaged lines are skipped, and their cases run
// again.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "base/descriptor.h"
#include "sweep/case.h"

namespace quill {

inline constexpr int kStudyForm = 1;  // format version; newer ones are refused
inline constexpr const char* kJournalName = "journal";

// Written before the cases of each call of the program.
struct StudyHead {
  std::string version;  // of the program
  std::string script;   // its name
  std::string script_sha256;
  std::string setup;  // see Setup::digest
  std::string now;    // the time of all cases
  std::string began;  // ISO 8601, UTC
  Index count = 0;    // cases in the design
  Index valid = 0;    // cases finished before
};

class StudyJournal {
 public:
  // Opens the journal in a folder, creating the folder if necessary. Throws Error if another program writes
  // the journal, or it cannot be written.
  explicit StudyJournal(const std::string& folder, const std::string& name = kJournalName);

  // Calls `head` and `result` for each line, in order. Returns the number of damaged lines, and the offset
  // after the last complete one. `at` is the argument for at().
  struct ReadSoFar {
    Index damaged = 0;
    std::uint64_t end = 0;
  };
  struct Readers {
    std::function<void(const StudyHead&)> head;
    std::function<void(const CaseResult&, std::uint64_t at)> result;
  };
  ReadSoFar read(const Readers& readers) const { return read_lines(file_.get(), path_, readers, 0); }
  // The same for a journal that another program may be writing, from an offset.
  static ReadSoFar read_file(const std::string& path, const Readers& readers, std::uint64_t from = 0);
  // Whether another program is writing the journal of a folder.
  static bool is_in_use(const std::string& path);

  // Appends a line. Throws Error Kind::hindered if the disk is full; complete lines stay intact.
  void begin(const StudyHead& head);
  std::uint64_t add(const CaseResult& result);
  CaseResult at(std::uint64_t place) const;
  // Flushes the file to the disk.
  void flush();
  const std::string& path() const { return path_; }

 private:
  static ReadSoFar read_lines(int file, const std::string& path, const Readers& readers, std::uint64_t from);
  std::uint64_t append(const std::string& json);
  std::string path_;
  Descriptor file_;
  std::uint64_t size_ = 0;
};

}  // namespace quill
