// The files that a run reads and writes: where they lie, and that they lie where a script may go.
#pragma once

#include <map>
#include <string>

#include "base/host.h"

namespace quill {

struct RunFolders {
  std::string script;      // of the script that runs, where names are seen from
  std::string out;         // where it writes
  std::string stands_for;  // the folder that `out` takes the place of when a run is done again; "" for none
  Folders also_read, also_write;
};

class RunFiles {
 public:
  RunFiles(Host& host, const RunFolders& folders);

  struct Read {
    std::string path;
    std::string bytes;
    bool is_own = false;  // this run wrote it
  };
  // By its name as seen from a folder; a name under which this run wrote a file is that file.
  Read read(const std::string& from_folder, const std::string& name) const;
  // The path of a file that is to be written; Error when it leaves the output folder and the others allowed.
  std::string path_to_write(const std::string& name) const;
  // Writes it whole.
  void write(const std::string& path, std::string_view bytes);

 private:
  Host& host_;
  RunFolders folders_;
  Folders read_, write_;
  std::map<std::string, std::string> own_;  // normal path by which it may be read, to where it lies
};

// Where a file lies that a run writes which takes the place of another one: always below its folder.
std::string path_when_redone(const std::string& out, const std::string& stands_for, const std::string& name);

}  // namespace quill
