// A variable that has another value for a while.
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

}  // namespace quill
