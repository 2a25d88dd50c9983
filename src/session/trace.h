// Provenance of a file: script, inputs, and whether they have changed.
#pragma once

#include <optional>
#include <string>

#include "base/host.h"
#include "session/record.h"

namespace quill {

struct Traced {
  Record record;            // read from the file; lists the file itself as the only one written
  std::string script_path;  // path of the script found; "" if it was not found
  std::string text;         // report for people
};
// Reads the provenance of a file. The script is searched for at `script` or, if that is empty, through the
// record beside the file, then by name beside the file, in the folders above it and in the current folder.
// Other files are opened only below the file's folder, the current folder and those in `also_read`. Throws
// Error if the file contains no provenance.
Traced trace(Host& host, const std::string& path, const std::string& script, const Folders& also_read = {});

// A record, or provenance, as W3C PROV-JSON (Member Submission, 2013).
std::string prov_json(const Record& record);

}  // namespace quill
