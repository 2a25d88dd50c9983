// All variables of a session in one file, without loss: types, shapes, names, units, every bit.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "session/session.h"

namespace quill {

struct KeptValues {
  std::string bytes;                                          // HDF5
  std::size_t count = 0;                                      // number of variables in it
  std::vector<std::pair<std::string, std::string>> left_out;  // name, and why it cannot be saved
};
// Arrays are datasets of the group `values`, named by variable and part; the JSON text `structure` describes
// the values they are parts of. Functions are saved as source text.
KeptValues keep_values(const Session& session);
KeptValues keep_values(const Session& session, const std::vector<std::string>& names);

// Whether the file was written by keep_values.
bool holds_kept_values(std::string_view bytes);

// Assigns the saved variables in the session and returns their names in order. Throws Error and changes
// nothing if the file is damaged or of another kind.
std::vector<std::string> restore_values(Session& session, std::string_view bytes, const std::string& name);

}  // namespace quill
