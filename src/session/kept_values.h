// All variables of a session in a file, exactly: types, shapes, names, units, every bit.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "session/session.h"

namespace quill {

struct KeptValues {
  std::string bytes;                                          // HDF5
  std::size_t count = 0;                                      // of variables in it
  std::vector<std::pair<std::string, std::string>> left_out;  // name, and why it cannot be kept
};
// Arrays stand in the group `values` under their names and the parts of names; `structure` says in JSON what
// they are parts of. Functions are kept as their text.
KeptValues keep_values(const Session& session);
KeptValues keep_values(const Session& session, const std::vector<std::string>& names);

// Whether the file is one of kept variables.
bool holds_kept_values(std::string_view bytes);

// Gives the session what was kept; the names, in their order. Error, and nothing is changed, when the file is
// damaged or no such file.
std::vector<std::string> give_back(Session& session, std::string_view bytes, const std::string& name);

}  // namespace quill
