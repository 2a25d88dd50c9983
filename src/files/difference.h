// Where two files differ, in terms of what they hold.
#pragma once

#include <string>
#include <string_view>

namespace quill {

struct FileDifference {
  bool is_same = false;
  std::string where;  // "column `depth`, row 12: 8.31, and now 8.35"
};

// Of `before` and `now`, both the contents of the file `name`. What they say of their origin is left out.
// Numbers may differ by `tolerance` times the largest in their array, pixels then by up to 8 of 255 levels.
FileDifference difference_of(const std::string& name, std::string_view before, std::string_view now,
                             double tolerance);

// Whether two texts are the same but for numbers that differ by `tolerance` times the larger one of them.
bool are_close(std::string_view before, std::string_view now, double tolerance);

}  // namespace quill
