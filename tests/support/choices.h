// Random choices of generators of programs.
#pragma once

#include <initializer_list>
#include <random>

namespace quill::test {

class Choices {
 public:
  explicit Choices(unsigned seed) : random_(seed) {}
  int below(int k) { return std::uniform_int_distribution<int>(0, k - 1)(random_); }
  bool chance(int percent) { return below(100) < percent; }
  template <class T>
  T one_of(std::initializer_list<T> all) {
    return *(all.begin() + below(static_cast<int>(all.size())));
  }

 private:
  std::mt19937 random_;
};

}  // namespace quill::test
