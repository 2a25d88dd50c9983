// The files that a run reads and writes: resolves paths and enforces the sandbox. In a session, files are
// part of the state: an entry reads the version written by earlier entries, whatever has happened on the disk
// since.
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
  std::string script;      // folder of the running script, from which names are resolved
  std::string out;         // output folder
  std::string stands_for;  // folder that `out` replaces when a run is repeated; "" for none
  Folders also_read, also_write;
};

// A file that a step read or wrote.
struct FileSeen {
  std::string path{};
  std::string stamp{};        // from the host; "" if not available
  std::string fingerprint{};  // of its bytes; "" if it could not be read
  std::string other{};        // path that is used instead once this session has written it; "" for none
};

// Absolute path without "." and "..".
std::string normal_path(const std::string& path);

class RunFiles {
 public:
  RunFiles(Host& host, Surroundings& state, const RunFolders& folders);

  struct Read {
    std::string path;
    std::string bytes;
    bool is_own = false;  // written by this run
    bool is_foreign =
        false;  // written by this run and overwritten by another program since: these are the run's own bytes
    FileSeen seen{};  // if versions are stored
  };
  // Resolves a name relative to a folder and reads the file. A name under which this run wrote a file refers
  // to that file.
  Read read(const std::string& from_folder, const std::string& name) const;
  // The same, opened to read parts of it. Its fingerprint belongs to no file, so changes are detected by
  // comparing stamps.
  struct Opened {
    std::string path;
    OpenFilePtr file;
    bool is_own = false;
    FileSeen seen{};
  };
  Opened open(const std::string& from_folder, const std::string& name) const;
  // Reads a file named by the user at the prompt; not restricted to the sandbox.
  Read read_anywhere(const std::string& path) const;
  // Describes a file that could not be read.
  FileSeen unread(const std::string& from_folder, const std::string& name) const;
  // Whether the bytes differ from those seen. If they are equal, updates the stamp, so that the next call
  // need not read them.
  bool has_changed(FileSeen& file) const;
  // Whether the file on disk has changed; false for files that the session has written.
  bool has_changed_outside(FileSeen& file) const;

  // Path for a file to write. Throws Error outside of the output folder and other permitted folders.
  std::string path_to_write(const std::string& name) const;
  // Writes the whole file. The fingerprint is "" if versions are not stored. `is_kept` is false if there was
  // no room to store the version, which then exists only on the disk.
  struct Written {
    std::string fingerprint;
    bool is_kept = true;
  };
  Written write(const std::string& path, std::string_view bytes);
  // The same for a file that a library writes.
  Written make(const std::string& path, const FileMaker& maker);

  // Starts to store versions: in a folder, or in memory if `folder` is "".
  void keep_versions(const std::string& folder);
  bool keeps_versions() const { return store_ != nullptr; }
  // Whether the bytes of a version are stored.
  bool has(const FileSeen& written) const { return store_ && store_->has(written.fingerprint); }
  void limit(std::size_t bytes) { store_->limit(bytes); }
  // While the result lives, files are written only to the store; settle() writes them to the disk.
  [[nodiscard]] Restored<bool> away_from_disk() { return {is_away_, true}; }
  bool is_away_from_disk() const { return is_away_; }

  // Sets the fingerprint of the previous content of a path that the session has written; "" if there was no
  // file.
  void set_original(const std::string& path, const std::string& fingerprint);
  // Called with the previous content's fingerprint before the session first writes to a path.
  std::function<void(const std::string& path, const std::string& fingerprint)> on_original;
  // Adds a version written by this session in an earlier process.
  void add_version(const std::string& path, const std::string& fingerprint) {
    known_[normal_path(path)].insert(fingerprint);
  }
  // Reads files in the versions that another session found at its start, and writes nothing to the disk.
  void use_files_of(const RunFiles& other);

  struct Settling {
    bool writes_over = false;   // also files changed by other programs
    bool only_written = false;  // keeps files that no entry writes any more
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
  void set_on_disk(const std::string& path);
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
