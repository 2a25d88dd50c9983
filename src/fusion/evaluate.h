// Fused evaluation of an expression, block by block, with all threads.
#pragma once

#include <memory>

#include "fusion/layout.h"
#include "fusion/plan.h"

namespace quill::fusion {

// An expression with the plan for the types that it was last evaluated for.
class Fused {
 public:
  explicit Fused(Expression expression = {});
  ~Fused();
  Fused(const Fused&) = delete;
  Fused& operator=(const Fused&) = delete;
  const Expression& expression() const { return expression_; }
  // To be changed only before the first evaluation.
  Expression& expression() { return expression_; }

  struct Outcome {
    Outcome() {}                              // NOLINT: leaves the room for an array as it is
    std::optional<Array> array;               // of the result, when it is not reduced
    double number = 0;                        // of a reduction
    std::int64_t whole = 0;                   // of one whose type is one of integers
    Index size = 0;                           // of what is reduced
    ElementType type = ElementType::float64;  // of what it is reduced to
    std::vector<int> exceeded;                // the steps whose function had no real result for some elements
    // What it is reduced to, as an array without axes of the type that the reduction gives.
    Array reduced() const;
  };
  // False when the operations have to go one by one: where shapes or types do not fit, or errors depend on
  // the elements. Throws when a stop was asked for, or memory does not suffice.
  bool evaluate(std::span<const Input> inputs, Outcome& outcome) {
    return evaluate(inputs, nullptr, outcome);
  }
  // The same into an array of the shape and type of the result, whose elements nobody else may hold; inputs
  // may overlap it only element by element.
  bool evaluate_into(std::span<const Input> inputs, const Array& target, Outcome& outcome) {
    return evaluate(inputs, &target, outcome);
  }
  // The reduction over one axis of a matrix, from 0; of so much at a time that it stays in the cache.
  bool evaluate_over(std::span<const Input> inputs, int axis, Outcome& outcome);
  // Where the expression is true, with a bit for each element, which are calculated some at a time; nothing
  // when it is none of arrays of one shape in row order.
  std::unique_ptr<Selection> select(std::span<const Input> inputs);
  // Into an array, of short arrays of one shape in row order, whose types are those of the last plan. The
  // inputs come one by one, as each has to be looked at; when one does not fit, nothing has happened.
  class Short {
   public:
    explicit Short(Fused& fused) : fused_(fused) {}
    bool is_ready() { return fused_.is_ready_for_short(); }
    bool add_single(const void* element, ElementType type, bool literal) {
      const auto& kind = fused_.kinds_[count_];
      if (kind.type != type || !kind.single || kind.literal != literal) return false;
      fused_.places_[count_++] = element;
      return true;
    }
    bool add(const Array& array) {
      const auto& kind = fused_.kinds_[count_];
      if (kind.type != array.type() || kind.constant || kind.single || !array.is_row_major() ||
          (first_ && !(first_->shape() == array.shape())))
        return false;
      fused_.places_[count_++] = array.raw_data();
      if (!first_) first_ = &array;
      return true;
    }
    // The first array, whose shape the result has; null when none or too long.
    const Array* shape() const {
      return first_ && first_->size() > 0 && first_->size() <= fused_.most_at_once() ? first_ : nullptr;
    }
    ElementType type() const { return fused_.plan_.type; }
    // The bits of the steps without a real result.
    std::uint64_t run(const void* result);

   private:
    Fused& fused_;
    std::size_t count_ = 0;
    const Array* first_ = nullptr;
  };

  // An operand of evaluate_plain: float64 elements in row order, or one number.
  struct Plain {
    const double* data = nullptr;
    bool is_single = false, is_literal = false;
  };
  struct PlainOutcome {
    double number = 0;                        // of a reduction
    ElementType type = ElementType::float64;  // of the elements, or of what they are reduced to
  };
  // Evaluates up to kMostPlain elements, to `result` with room for as many numbers, or reduces them. False
  // when another way is needed, also where a function has no real result; then nothing has happened.
  bool evaluate_plain(std::span<const Plain> inputs, Index size, void* result, PlainOutcome& outcome);
  static constexpr Index kMostPlain = 1024;

  // Why the last evaluation was refused; "" when it was not.
  const std::string& obstacle() const { return obstacle_; }

 private:
  bool evaluate(std::span<const Input> inputs, const Array* target, Outcome& outcome);
  bool is_ready_for_short();
  Index most_at_once() const;
  // Short arrays of one shape, in row order, as the plan was made for; nothing for all else.
  bool evaluate_short(std::span<const Input> inputs, Outcome& outcome);
  bool is_refused_again(std::span<const Input> inputs);
  void step_through(std::size_t inputs, Index count, std::uint64_t& exceeded);
  bool prepare(std::span<const Input> inputs, const Layout& layout);
  bool replan(bool scattered);
  bool refuse(std::string why);
  bool selects_all(std::span<const Input> inputs, const Shape& shape) const;
  int smaller_part(std::span<const Input> inputs, const Shape& shape) const;
  // With the part up to that step calculated first.
  bool evaluate_part(int last, std::span<const Input> inputs, const Array* target, Outcome& outcome);

  struct Split;

  Expression expression_;
  std::unique_ptr<Fused> unreduced_;  // for reductions over an axis
  std::unique_ptr<Split> split_;      // of the last evaluation that needed a part first
  std::vector<InputKind> kinds_;
  Plan plan_;
  std::vector<const void*> places_;     // of a short evaluation
  const std::byte* scratch_ = nullptr;  // that they are of
  bool scattered_ = false;
  bool has_plan_ = false;
  InstructionSet set_ = InstructionSet::baseline;
  std::string plan_obstacle_;  // why there is no plan for these types
  std::string obstacle_ = "it has not run";
};

}  // namespace quill::fusion
