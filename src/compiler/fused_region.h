// Fused regions: elementwise expressions that are evaluated block by block.
#pragma once

#include <string>
#include <vector>

#include "compiler/program.h"
#include "fusion/evaluate.h"

namespace quill {

// Source of an input.
struct FusedRead {
  enum class From : std::uint8_t {
    local,     // a register
    number,    // a literal
    global,    // a slot of the module
    captured,  // captured by a function that is inlined here
    loop,      // a loop variable of a comprehension
    element    // an array element indexed by loop variables
  };
  From from = From::local;
  bool literal = false;   // an integer literal
  bool last_use = false;  // a register at its last use
  bool chosen = false;    // of an array, the elements where the region's condition is true
  int index = 0;          // register, slot, capture or loop; for an element, its number
  int callee = -1;        // the inlined function that captured it
  double number = 0;
  const Module* module = nullptr;
};

// An array element whose subscripts are linear in loop variables and names.
struct FusedElement {
  struct Subscript {
    std::vector<double> scales;  // coefficients of loop variables
    double number = 0;
    std::vector<std::pair<FusedRead, double>> terms;  // names and their coefficients
  };
  FusedRead array;
  std::vector<Subscript> subscripts;
};

// A function called with steps as arguments: its body replaces the input.
struct FusedCall {
  int input = 0;
  FusedRead callee;
  std::vector<int> arguments;
};

// What a loop of a comprehension iterates over, in a register; parallel loops share an axis.
struct FusedLoop {
  int index = 0;
  int axis = 0;
};

struct Expansion;

struct FusedRegion {
  fusion::Fused fused;
  std::vector<FusedRead> inputs;
  std::vector<FusedElement> elements;
  std::vector<FusedCall> calls;
  std::vector<FusedLoop> loops;            // of a comprehension
  std::shared_ptr<FusedRegion> condition;  // which items of a comprehension, or elements, are selected
  std::vector<int> variables;              // registers among the inputs other than literals
  std::vector<const Node*> nodes;          // of its steps
  const Node* root = nullptr;              // of the whole region
  int first_subscript = -1;                // of the assignment target
  bool updates = false;                    // the last input is the assigned element itself
  int over = -1;                           // axis of the reduction, from 0; -1: all elements
  bool is_simple = false;                  // only registers, result in an array
  std::shared_ptr<Expansion> expansion;    // for the functions called last

  // Statistics of array evaluations, for explanations.
  Index passes = 0, refusals = 0;
  Index elements_passed = 0;  // of the longest pass
  std::string obstacle;       // of the last refusal
};

// A region with function bodies in place of calls.
struct Expansion {
  struct Callee {
    FusedRead where;
    std::weak_ptr<const Function> function;  // may own the region if it is recursive, hence weak
    int first_capture = 0;
  };
  std::vector<Callee> callees;
  FusedRegion region;
  std::string obstacle;  // why these functions cannot be inlined
};

// A region with the tree that keeps its nodes alive.
struct SeenRegion {
  std::shared_ptr<const Tree> tree;
  std::shared_ptr<const FusedRegion> region;
};

}  // namespace quill
