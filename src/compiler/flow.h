// Control flow of a function: basic blocks, loops, live registers.
#pragma once

#include <string>
#include <vector>

#include "compiler/program.h"

namespace quill {

// A set of the registers of one function.
class RegisterSet {
 public:
  explicit RegisterSet(int size = 0) : bits_(static_cast<std::size_t>(size)) {}
  bool contains(int r) const { return bits_[static_cast<std::size_t>(r)]; }
  void insert(int r) { bits_[static_cast<std::size_t>(r)] = true; }
  void erase(int r) { bits_[static_cast<std::size_t>(r)] = false; }
  void merge(const RegisterSet& other) {
    for (std::size_t k = 0; k < bits_.size(); ++k)
      if (other.bits_[k]) bits_[k] = true;
  }
  bool operator==(const RegisterSet& other) const = default;
  int size() const { return static_cast<int>(bits_.size()); }

 private:
  std::vector<bool> bits_;
};

// Instructions from `begin` up to `end` that run one after the other.
struct Block {
  std::size_t begin = 0, end = 0;
  std::vector<int> successors, predecessors;
  bool is_reachable = false;
};

// The blocks between a loop's head and the last instruction that leads back to it: loops of the language are
// one stretch of instructions, and inner loops lie within outer ones.
struct Loop {
  std::size_t head = 0;  // the first instruction of each iteration
  std::size_t end = 0;   // after the last jump back
  int parent = -1;       // the innermost loop around it
};

struct Flow {
  explicit Flow(const Function& function);
  std::vector<Block> blocks;      // in the order of the instructions
  std::vector<int> block_of;      // by instruction
  std::vector<Loop> loops;        // outer ones first
  std::vector<RegisterSet> live;  // by instruction: registers that may be read before they are written
  // The innermost loop with this head; -1: none.
  int loop_at(std::size_t head) const;
};

// Blocks, loops and live registers, one block a line, for tests.
std::string dump_flow(const Function& function);

}  // namespace quill
