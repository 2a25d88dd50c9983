// Digest and sample of a value for the record, to decide whether a re-run gave the same value and by how much
// it differs.
#pragma once

#include <string>
#include <vector>

#include "value/value.h"

namespace quill {

// "sha256:…" over types, shapes, names, units and elements (row order, little endian); "pieces:…" if arrays
// over 4 MiB are hashed by fingerprints of their pieces.
std::string digest_of(const Value& value);

// Numbers of a value in order: at most kMostNumbers of each array, at equal distances including first and
// last if there are more, and at most ten times as many in all.
inline constexpr Index kMostNumbers = 200;
struct Numbers {
  std::vector<double> values;  // both parts of complex numbers
  bool is_sample = false;
};
Numbers numbers_of(const Value& value);

}  // namespace quill
