// Control flow of a function: basic blocks, loops, live registers.
#pragma once

#include <string>
#include <vector>

#include "compiler/program.h"

namespace quill {

// A set of registers of one function.
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

// Instructions from `begin` to before `end`, executed in sequence.
struct Block {
  std::size_t begin = 0, end = 0;
  std::vector<int> successors, predecessors;
  bool is_reachable = false;
};

// The blocks from a loop's head to its last backward jump. Loops of the language are contiguous, and properly
// nested.
struct Loop {
  std::size_t head = 0;  // first instruction of each iteration
  std::size_t end = 0;   // after the last backward jump
  int parent = -1;       // innermost enclosing loop, or -1
};

struct Flow {
  explicit Flow(const Function& function);
  std::vector<Block> blocks;      // in instruction order
  std::vector<int> block_of;      // by instruction
  std::vector<Loop> loops;        // outer loops first
  std::vector<RegisterSet> live;  // by instruction: registers that may be read before they are written
  // Innermost loop with this head, or -1.
  int loop_at(std::size_t head) const;
};

// Blocks, loops and live registers, one block a line; for tests.
std::string dump_flow(const Function& function);

}  // namespace quill
