// Runs a script again whenever it or a file it reads changes, repeating only the affected statements.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "session/replay.h"

namespace quill {

class Watch {
 public:
  Watch(Host& host, Output& told, const SessionOptions& options, std::string path);
  ~Watch();

  struct Round {
    bool fine = false;
    struct Statement {
      int line = 0;
      std::string text;
    };
    std::vector<Statement> ran;  // except headings and definitions, which always run
    std::size_t kept = 0;
    std::size_t let_go =
        0;  // statements whose states were dropped for lack of memory, so they run every time
    double seconds = 0, saved = 0;  // time of this round; time that the reused statements took when they ran
  };
  // Updates all variables and files to what a complete run would give. Errors are reported. Returns nothing
  // if the script cannot be read or compiled.
  std::optional<Round> round();
  // Whether the script, or a file it read, has changed since the last round.
  bool has_changed();

  const Session& session() const { return session_; }

 private:
  // Shows a heading only once something follows it.
  class Headings;

  Host& host_;
  std::unique_ptr<Headings> headings_;
  Session session_;
  std::string path_;
  std::vector<FileSeen> watched_;  // the script, and files it read in the last round
  Snapshot fresh_;
  std::vector<Step> known_;  // in script order; after a failure, the remaining ones are from the round before
};

}  // namespace quill
