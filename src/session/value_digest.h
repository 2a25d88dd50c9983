// What a record keeps of a value: enough to see whether it came out again, and by how much it differs.
#pragma once

#include <string>
#include <vector>

#include "value/value.h"

namespace quill {

// "sha256:…" over types, shapes, names, units and elements (in row order, little end first); "pieces:…" when
// arrays of more than 4 MiB go into it by fingerprints of their pieces.
std::string digest_of(const Value& value);

// The numbers in a value in order, at most kMostNumbers of each array, of larger ones elements at even
// distances, the first and the last among them; and ten times as many in all.
inline constexpr Index kMostNumbers = 200;
struct Numbers {
  std::vector<double> values;  // of complex ones both parts
  bool is_sample = false;
};
Numbers numbers_of(const Value& value);

}  // namespace quill
