// A fused region: an elementwise expression of a program that is evaluated block by block.
#pragma once

#include <string>
#include <vector>

#include "compiler/program.h"
#include "fusion/evaluate.h"

namespace quill {

// What an input is read from.
struct FusedRead {
  enum class From : std::uint8_t {
    place,     // a register
    number,    // of the text
    global,    // a slot of the module
    captured,  // of what a function that is inlined here has captured
    loop,      // the variable of a loop of a comprehension
    element    // an element of an array at a place that goes with the loops
  };
  From from = From::place;
  bool literal = false;   // an integer written in the text
  bool last_use = false;  // a register that is needed by this expression alone
  bool chosen = false;    // of an array, the elements where the region's condition is true
  int place = 0;          // register, slot, capture, loop; of an element, its number
  int callee = -1;        // whose capture it is
  double number = 0;
  const Module* module = nullptr;
};

// The element of an array whose subscripts are sums of the loops' variables, of names and of a number.
struct FusedElement {
  struct Subscript {
    std::vector<double> scales;  // of the loops' variables
    double number = 0;
    std::vector<std::pair<FusedRead, double>> terms;  // names and their factors
  };
  FusedRead array;
  std::vector<Subscript> subscripts;
};

// A function of the text, called with steps: its body takes the place of the input.
struct FusedCall {
  int input = 0;
  FusedRead callee;
  std::vector<int> arguments;
};

// What a loop of a comprehension goes over, in a register; several that go side by side have one axis.
struct FusedLoop {
  int place = 0;
  int axis = 0;
};

struct Expansion;

struct FusedRegion {
  fusion::Fused fused;
  std::vector<FusedRead> inputs;
  std::vector<FusedElement> elements;
  std::vector<FusedCall> calls;
  std::vector<FusedLoop> loops;            // of a comprehension
  std::shared_ptr<FusedRegion> condition;  // of the items of one that are kept, or of chosen elements
  std::vector<int> variables;              // the registers among the inputs that are no numbers of the text
  std::vector<const Node*> nodes;          // of its steps
  const Node* root = nullptr;              // of all of it
  int first_subscript = -1;                // of the place that it is assigned to
  bool updates = false;                    // the last input is what is at that place
  int over = -1;                           // the axis of the reduction, from 0; -1: all elements
  bool is_simple = false;                  // of registers alone, into an array
  std::shared_ptr<Expansion> expansion;    // for the functions that were called last

  // What became of it in the run, for arrays.
  Index passes = 0, refusals = 0;
  Index elements_passed = 0;  // of the longest pass
  std::string obstacle;       // of the last refusal
};

// A region with the bodies of functions in the place of their calls.
struct Expansion {
  struct Callee {
    FusedRead where;
    std::weak_ptr<const Function> function;  // which may own the region, when it calls itself
    int first_capture = 0;
  };
  std::vector<Callee> callees;
  FusedRegion region;
  std::string obstacle;  // why there is none for these functions
};

// A region with what keeps its nodes alive.
struct SeenRegion {
  std::shared_ptr<const Tree> tree;
  std::shared_ptr<const FusedRegion> region;
};

}  // namespace quill
