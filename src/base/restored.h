// Variables that have another value for the time of a scope.
#pragma once

#include <utility>

namespace quill {

// Gives it back what it had before when this ends.
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

// A counter that is one higher while this lives.
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
