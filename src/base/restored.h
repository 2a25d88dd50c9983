// Scope guards that restore variables.
#pragma once

#include <utility>

namespace quill {

// Restores the previous value of the variable in its destructor.
template <class T>
class Restored {
 public:
  Restored(T& variable, T value) : variable_(variable), before_(std::exchange(variable, std::move(value))) {}
  ~Restored() { variable_ = std::move(before_); }
  Restored(const Restored&) = delete;
  Restored& operator=(const Restored&) = delete;

 private:
  T& variable_;
  T before_;
};

// Increments a counter for its lifetime.
class Deeper {
 public:
  explicit Deeper(int& depth) : depth_(++depth) {}
  ~Deeper() { --depth_; }
  Deeper(const Deeper&) = delete;
  Deeper& operator=(const Deeper&) = delete;

 private:
  int& depth_;
};

}  // namespace quill
