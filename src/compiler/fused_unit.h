// An elementwise expression of a program that can be calculated in one pass.
#pragma once

#include <vector>

#include "compiler/program.h"
#include "fusion/evaluate.h"

namespace quill {

struct FusedUnit {
  fusion::Fused fused;
  struct Read {
    int place = 0;         // a register
    bool literal = false;  // a whole number written in the text
  };
  std::vector<Read> inputs;
  std::vector<const Node*> nodes;   // of its steps
  bool divides_by_count = false;    // the sum, by the count of elements
};

}  // namespace quill
