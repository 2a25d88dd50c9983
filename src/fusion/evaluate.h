// Fused evaluation of expressions, block by block, on all threads.
#pragma once

#include <memory>

#include "fusion/layout.h"
#include "fusion/plan.h"

namespace quill::fusion {

// An expression with the plan for the types of its last evaluation.
class Fused {
 public:
  explicit Fused(Expression expression = {});
  ~Fused();
  Fused(const Fused&) = delete;
  Fused& operator=(const Fused&) = delete;
  const Expression& expression() const { return expression_; }
  // May be modified only before the first evaluation.
  Expression& expression() { return expression_; }

  struct Outcome {
    Outcome() {}                              // NOLINT: leaves the room for an array as it is
    std::optional<Array> array;               // the result, unless it is reduced
    double number = 0;                        // the result of a reduction
    std::int64_t whole = 0;                   // of a reduction with an integer type
    Index size = 0;                           // number of elements reduced
    ElementType type = ElementType::float64;  // type of the reduction
    std::vector<int> exceeded;                // steps whose function had no real result for some elements
    // The result of a reduction as an array without axes, of the reduction's type.
    Array reduced() const;
  };
  // False if the operations have to run one by one: shapes or types do not fit, or errors depend on elements.
  // Throws on a requested stop or lack of memory.
  bool evaluate(std::span<const Input> inputs, Outcome& outcome) {
    return evaluate(inputs, nullptr, outcome);
  }
  // The same into an array of the shape and type of the result, whose elements are unshared; inputs may
  // overlap it only element by element.
  bool evaluate_into(std::span<const Input> inputs, const Array& target, Outcome& outcome) {
    return evaluate(inputs, &target, outcome);
  }
  // The reduction over one axis (from 0) of a matrix, in portions that fit into the cache.
  bool evaluate_over(std::span<const Input> inputs, int axis, Outcome& outcome);
  // The elements where the expression is true, one bit each, computed in portions; null unless its inputs are
  // row-major arrays of one shape.
  std::unique_ptr<Selection> select(std::span<const Input> inputs);
  // Evaluation of short row-major arrays of one shape whose types are those of the last plan. Inputs are
  // added one by one, as each has to be checked; nothing is changed if one does not fit.
  class Short {
   public:
    explicit Short(Fused& fused) : fused_(fused) {}
    bool is_ready() { return fused_.is_ready_for_short(); }
    bool add_single(const void* element, ElementType type, bool literal) {
      const auto& kind = fused_.kinds_[count_];
      if (kind.type != type || !kind.single || kind.literal != literal) return false;
      fused_.operands_[count_++] = element;
      return true;
    }
    bool add(const Array& array) {
      const auto& kind = fused_.kinds_[count_];
      if (kind.type != array.type() || kind.constant || kind.single || !array.is_row_major() ||
          (first_ && !(first_->shape() == array.shape())))
        return false;
      fused_.operands_[count_++] = array.raw_data();
      if (!first_) first_ = &array;
      return true;
    }
    // The first array, which has the shape of the result; null if there is none or it is too long.
    const Array* shape() const {
      return first_ && first_->size() > 0 && first_->size() <= fused_.most_at_once() ? first_ : nullptr;
    }
    ElementType type() const { return fused_.plan_.type; }
    // Bit set of the steps without a real result.
    std::uint64_t run(const void* result);

   private:
    Fused& fused_;
    std::size_t count_ = 0;
    const Array* first_ = nullptr;
  };

  // An operand of evaluate_plain: row-major float64 elements, or one number.
  struct Plain {
    const double* data = nullptr;
    bool is_single = false, is_literal = false;
  };
  struct PlainOutcome {
    double number = 0;                        // the result of a reduction
    ElementType type = ElementType::float64;  // type of the elements or of the reduction
  };
  // Evaluates up to kMostPlain elements into `result`, or reduces them. False, with no effect, if another way
  // is needed or a function has no real result.
  bool evaluate_plain(std::span<const Plain> inputs, Index size, void* result, PlainOutcome& outcome);
  static constexpr Index kMostPlain = 1024;

  // Why the last evaluation was refused; "" if it was not.
  const std::string& obstacle() const { return obstacle_; }

 private:
  bool evaluate(std::span<const Input> inputs, const Array* target, Outcome& outcome);
  bool is_ready_for_short();
  Index most_at_once() const;
  // Evaluates short row-major arrays of one shape and the plan's types; nothing otherwise.
  bool evaluate_short(std::span<const Input> inputs, Outcome& outcome);
  bool is_refused_again(std::span<const Input> inputs);
  void step_through(std::size_t inputs, Index count, std::uint64_t& exceeded);
  bool prepare(std::span<const Input> inputs, const Layout& layout);
  bool replan(bool scattered);
  bool refuse(std::string why);
  bool selects_all(std::span<const Input> inputs, const Shape& shape) const;
  int smaller_part(std::span<const Input> inputs, const Shape& shape) const;
  // Evaluates the part up to a step first, then the rest.
  bool evaluate_part(int last, std::span<const Input> inputs, const Array* target, Outcome& outcome);

  struct Split;

  Expression expression_;
  std::unique_ptr<Fused> unreduced_;  // for reductions over an axis
  std::unique_ptr<Split> split_;      // from the last evaluation that computed a part first
  std::vector<InputKind> kinds_;
  Plan plan_;
  std::vector<const void*> operands_;   // of a short evaluation
  const std::byte* scratch_ = nullptr;  // the scratch memory that operands_ point into
  bool scattered_ = false;
  bool has_plan_ = false;
  InstructionSet set_ = InstructionSet::baseline;
  std::string plan_obstacle_;  // why these types have no plan
  std::string obstacle_ = "it has not run";
};

}  // namespace quill::fusion
