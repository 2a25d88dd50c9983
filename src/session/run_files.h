// The files that a run reads and writes: where they lie, and that they lie where a script may go. In a
// session they are part of its state: what an entry reads is the version that the entries before it wrote,
// whatever lies on the disk meanwhile.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>

#include "base/restored.h"
#include "builtins/context.h"
#include "session/file_store.h"

namespace quill {

struct RunFolders {
  std::string script;      // of the script that runs, where names are seen from
  std::string out;         // where it writes
  std::string stands_for;  // the folder that `out` takes the place of when a run is repeated; "" for none
  Folders also_read, also_write;
};

// A file as a step read or wrote it.
struct FileSeen {
  std::string path{};
  std::string stamp{};        // of the host; "" when that reports nothing
  std::string fingerprint{};  // of its bytes; "" when it could not be read
  std::string other{};  // the path that stands for it as soon as this session has written it; "" for none
};

// The absolute path, without "." and "..".
std::string normal_path(const std::string& path);

class RunFiles {
 public:
  RunFiles(Host& host, Surroundings& state, const RunFolders& folders);

  struct Read {
    std::string path;
    std::string bytes;
    bool is_own = false;      // this run wrote it
    bool is_foreign = false;  // it did, and somebody else has written over it since: these are its own bytes
    FileSeen seen{};          // where versions are kept
  };
  // By its name as seen from a folder; a name under which this run wrote a file is that file.
  Read read(const std::string& from_folder, const std::string& name) const;
  // The same, open for reading parts of it. Its fingerprint is that of no file: whoever asks whether it has
  // changed compares stamps.
  struct Opened {
    std::string path;
    OpenFilePtr file;
    bool is_own = false;
    FileSeen seen{};
  };
  Opened open(const std::string& from_folder, const std::string& name) const;
  // A file that the user names at the prompt, wherever it lies.
  Read read_anywhere(const std::string& path) const;
  // The note of a file that could not be read.
  FileSeen unread(const std::string& from_folder, const std::string& name) const;
  // Whether reading it would give other bytes now. When the bytes are the same, the file gets the stamp that
  // makes the next look cheap.
  bool has_changed(FileSeen& file) const;
  // The same for the file on the disk; false for files that the session has written.
  bool has_changed_outside(FileSeen& file) const;

  // The path of a file that is to be written; Error when it leaves the output folder and the others allowed.
  std::string path_to_write(const std::string& name) const;
  // Writes the whole file. Without versions the fingerprint is "". `is_kept` is false when there was no room
  // for the version, which is then on the disk alone.
  struct Written {
    std::string fingerprint;
    bool is_kept = true;
  };
  Written write(const std::string& path, std::string_view bytes);

  // Starts to keep versions: in a folder, or in memory when `folder` is "".
  void keep_versions(const std::string& folder);
  bool keeps_versions() const { return store_ != nullptr; }
  // Whether the bytes of a version are stored.
  bool has(const FileSeen& written) const { return store_ && store_->has(written.fingerprint); }
  void limit(std::size_t bytes) { store_->limit(bytes); }
  // During the life of the result writes only go into the store; settle() brings them to the disk.
  [[nodiscard]] Restored<bool> away_from_disk() { return {is_away_, true}; }
  bool is_away_from_disk() const { return is_away_; }

  // Sets the fingerprint of the file that was at a path before the session first wrote there; "" for no file.
  void set_original(const std::string& path, const std::string& fingerprint);
  // Called with the same when the session is about to write there for the first time.
  std::function<void(const std::string& path, const std::string& fingerprint)> on_original;
  // Adds a version that the session wrote in an earlier run of the program.
  void add_version(const std::string& path, const std::string& fingerprint) {
    known_[normal_path(path)].insert(fingerprint);
  }
  // Reads the files that another session found at its start, and writes nothing to the disk.
  void use_files_of(const RunFiles& other);

  struct Settling {
    bool writes_over = false;   // also what somebody else has changed
    bool only_written = false;  // files that no entry writes any more stay
  };
  struct Settled {
    std::vector<std::string> written, removed, foreign, lost;
    std::vector<std::pair<std::string, std::string>> failed;  // with reasons
  };
  // Writes and removes files on the disk so that they match the state of the session.
  Settled settle(const Settling& how);

 private:
  const FileVersion* version(const std::string& path) const;
  // The file before the session first wrote there; null when it never did.
  const FileVersion* original(const std::string& path) const;
  Read read_version(const FileVersion& version) const;
  std::optional<Read> read_kept(const std::string& path, const std::string& other) const;
  void find_original(const std::string& path);
  bool is_ours(const std::string& path, const std::string& fingerprint) const;
  void set_version(const std::string& path, const std::string& lies, const std::string& fingerprint);
  void settle(const std::string& path, const std::string& wanted, const Settling& how, Settled& out);

  Host& host_;
  Surroundings& state_;
  RunFolders folders_;
  Folders read_, write_;
  std::unique_ptr<FileStore> store_;
  // By normal paths.
  std::map<std::string, FileVersion> originals_;
  std::map<std::string, std::string> on_disk_;          // what this session knows to lie there
  std::map<std::string, std::set<std::string>> known_;  // all versions that it wrote
  std::set<std::pair<std::string, std::string>> told_;  // foreign versions
  bool is_away_ = false;
};

// Where a file lies that a run writes which takes the place of another one: always below its folder.
std::string path_when_redone(const std::string& out, const std::string& stands_for, const std::string& name);

}  // namespace quill
