// What a program does, to compare its run with native code with one without.
#pragma once

#include <cstdint>
#include <functional>
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
// Compares runs with native code from the first iteration with runs without it, of the programs of seeds from
// 1 on: `usual` of them, or as many as QUILL_TEST_LOOPS says. Checks that the share `good` of them ends
// without an error.
void compare_programs(const std::function<std::string(unsigned seed)>& program, int usual, double good);

// The number `result` of a program, after a check that it runs the same with native code as without.
double native_result(const std::string& program);

}  // namespace quill::test
