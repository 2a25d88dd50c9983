// A script that is run again only where it, or what it reads, has changed.
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
    std::vector<Statement> ran;  // but headings and definitions, which always do
    std::size_t kept = 0;
    std::size_t let_go = 0;         // that run again each time, since memory is short
    double seconds = 0, saved = 0;  // that it took, and that the kept ones had taken
  };
  // Brings all names and files to what a run from the beginning would give. Errors have been reported;
  // nothing when the script cannot be read, or cannot run at all.
  std::optional<Round> round();
  // Whether the script or a file that it read is another than in the last round.
  bool has_changed();

  const Session& session() const { return session_; }

 private:
  // Tells headings only when something follows.
  class Headings;

  Host& host_;
  std::unique_ptr<Headings> headings_;
  Session session_;
  std::string path_;
  std::vector<FileSeen> watched_;  // the script, and what it read in the last round
  Snapshot fresh_;
  std::vector<Step> known_;  // in the order of the script; behind a failure those from before it
};

}  // namespace quill
