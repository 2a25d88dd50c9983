// What a file says of where it comes from, and whether that still lies there.
#pragma once

#include <optional>
#include <string>

#include "base/host.h"
#include "session/record.h"

namespace quill {

struct Traced {
  Record record;            // what the file says; its only written file is itself
  std::string script_path;  // of the script as it lies here; "" when it is not found
  std::string text;         // for people
};
// Reads the provenance of a file at a path. The script is looked for under `script`, or, when that is empty,
// by the record beside the file, by its name beside the file and in the folders above it and the current one.
// Other files are opened only below its folder, the current one, and those of `also_read`. Error when the
// file says nothing of itself.
Traced trace(Host& host, const std::string& path, const std::string& script, const Folders& also_read = {});

// W3C PROV-JSON (Member Submission of 2013) of a record or of a provenance.
std::string prov_json(const Record& record);

}  // namespace quill
