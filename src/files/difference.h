// Differences between two files in terms of their contents.
#pragma once

#include <string>
#include <string_view>

namespace quill {

struct FileDifference {
  bool is_same = false;
  std::string where;  // "column `depth`, row 12: 8.31, and now 8.35"
};

// Compares two versions of the file `name`, ignoring provenance. Numbers may differ by `tolerance` relative
// to the largest in their array; pixels then by up to 8 of 255 levels.
FileDifference difference_of(const std::string& name, std::string_view before, std::string_view now,
                             double tolerance);

// Whether two texts are equal except for numbers that differ by at most `tolerance`, relative to the larger
// one.
bool are_close(std::string_view before, std::string_view now, double tolerance);

}  // namespace quill
