// An elementwise expression of a program that can be calculated in one pass.
#pragma once

#include <string>
#include <vector>

#include "compiler/program.h"
#include "fusion/evaluate.h"

namespace quill {

struct FusedUnit {
  fusion::Fused fused;
  struct Read {
    int place = 0;         // a register
    bool literal = false;  // a whole number written in the text
    bool spare = false;    // needed by this expression alone
  };
  std::vector<Read> inputs;
  std::vector<int> variables;      // the registers among them that are no numbers of the text
  std::vector<const Node*> nodes;  // of its steps
  int first_subscript = -1;        // of the place that it is assigned to
  bool updates = false;            // the last input is what is at that place
  bool divides_by_count = false;   // the sum, by the count of elements

  // What became of it in the run, for arrays.
  Index passes = 0, refusals = 0;
  Index elements = 0;    // of the longest pass
  std::string obstacle;  // of the last refusal
};

// A unit with what keeps its nodes alive.
struct SeenUnit {
  std::shared_ptr<const Tree> tree;
  std::shared_ptr<const FusedUnit> unit;
};

}  // namespace quill
