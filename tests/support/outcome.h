// What a program does, to compare its run with native code with one without.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "engine/hot.h"

namespace quill::test {

struct Outcome {
  bool ok = false;
  std::string text;  // everything that was printed and told, and the types and texts of all values
  std::vector<std::uint64_t> bits;  // of all numbers; of those that are nan no more than that
};

Outcome outcome_of(const std::string& program, NativeUse use);
// Whether they are the same; reports where they are not.
bool is_same(const Outcome& got, const Outcome& wanted);

}  // namespace quill::test
