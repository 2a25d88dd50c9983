// Random programs with loops, typed so that most of them run to their end.
#pragma once

#include <cstdint>
#include <random>
#include <string>
#include <utility>
#include <vector>

namespace quill::test {

class LoopPrograms {
 public:
  explicit LoopPrograms(unsigned seed) : random_(seed) {}
  // Each choice is made by the next byte, and the first one is taken when there are no more.
  explicit LoopPrograms(std::vector<std::uint8_t> choices) : choices_(std::move(choices)), is_chosen_(true) {}
  // The text of a program: at top level, or in a function that is called.
  std::string program();

 private:
  int below(int n) {
    if (!is_chosen_) return std::uniform_int_distribution<int>(0, n - 1)(random_);
    return next_choice_ < choices_.size() ? choices_[next_choice_++] % n : 0;
  }
  bool chance(int percent) { return below(100) < percent; }
  template <class T>
  T one_of(const std::vector<T>& all) {
    return all[static_cast<std::size_t>(below(static_cast<int>(all.size())))];
  }
  std::string number(int depth);
  std::string boolean(int depth);
  std::string whole(int depth);    // of a place within small arrays, most times
  std::string integer(int depth);  // of type int32
  std::string complex(int depth);
  std::string vector(int depth);  // of two elements
  std::string row(int depth);     // of five elements
  std::string literal();
  std::string place();
  void statement(int depth);
  void assignment();
  void element();
  void short_values();
  void parts();
  void jump();
  void branch(int depth);
  void element_loop();
  void loop(int depth);
  void block(int depth, int statements);
  void line(const std::string& text);

  std::mt19937 random_;
  std::vector<std::uint8_t> choices_;
  std::size_t next_choice_ = 0;
  bool is_chosen_ = false;
  std::string text_;
  bool is_top_ = true;
  int indent_ = 0;
  int loops_ = 0;  // of which we are within
  int counters_ = 0;
  std::vector<std::string> indices_;  // of the loops around
};

}  // namespace quill::test
