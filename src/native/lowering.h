// Lowers a loop block by block. The same functions run in two passes: the first finds the types of registers
// at the begin of each block by iteration to a fixed point and emits nothing; the second emits code for these
// types.
#pragma once

#include <algorithm>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "array/elementwise.h"
#include "native/lower.h"

namespace quill::native {

inline bool is_comparison(Op op) { return op >= Op::equal && op <= Op::greater_equal; }
inline bool is_arithmetic(Op op) { return op >= Op::add && op <= Op::power; }

// An integer type: bits, negative if unsigned; smallest and largest value.
struct IntegerRange {
  int bits;
  std::int64_t least, most;
};
inline IntegerRange range_of(ElementType type) {
  switch (type) {
    case ElementType::int32: return {32, -(std::int64_t{1} << 31), (std::int64_t{1} << 31) - 1};
    case ElementType::uint8: return {-8, 0, 255};
    default: return {64, std::numeric_limits<std::int64_t>::min(), std::numeric_limits<std::int64_t>::max()};
  }
}

class Lowering {
 public:
  Lowering(const Function& function, const Flow& flow, std::size_t head, const Value* frame,
           const Registry& registry, const Experience& experience, const Helpers& helpers);
  Lowered result();
  std::optional<Lowered> direct(const Type& called, const std::vector<Type>& parameters, const Type& result);

 private:
  // An operand: its variables and facts about its value.
  struct Operand {
    Form form = Form::nowhere;
    ElementType element = ElementType::float64;
    int variable = -1;
    std::int64_t low = 0, high = 0;
    int counter = -1;  // see Type
    std::int64_t shift = 0;
    std::optional<double> constant{};
    std::vector<int> items{};                  // the variables of a vector or tuple
    std::uint64_t parts = 0;                   // of a tuple or record
    const Names* names = nullptr;              // of a record
    const FunctionObject* function = nullptr;  // of a function
    const Function* code = nullptr;            // of a closure
    int root = -1;                             // of a view
  };

  struct Variables {
    int number = -1, whole = -1, boolean = -1, pointer = -1;
    int extents[3] = {-1, -1, -1}, strides[3] = {-1, -1, -1};
    std::vector<int> items{};
  };

  // The function with the loop, or an inlined one; registers of inlined functions follow those of the caller.
  struct Scope {
    const Function* f = nullptr;
    const Flow* flow = nullptr;
    int offset = 0;
    const Scope* caller = nullptr;
    std::size_t begin = 0, end = 0;
    std::map<int, State> states{};  // at the begin of blocks
    std::vector<int> open{};        // blocks to visit again
    std::map<int, int> labels{};    // of blocks
    std::optional<State> returned{};
    int return_label = -1;
    bool has_failed = false;  // it cannot be inlined
  };
  // A called function: a known object, or code with captured numbers.
  struct Callee {
    const FunctionObject* object = nullptr;
    const Function* code = nullptr;
    std::vector<int> captured{};  // variables
    explicit operator bool() const { return code != nullptr; }
  };
  Callee callee_of(const Operand& function) {
    return {function.function, function.function ? function.function->function.get() : function.code,
            function.items};
  }
  // A function that is not inlined, compiled for certain argument types.
  struct Body {
    Type function{};  // type of the callee
    std::vector<Type> parameters{};
    std::size_t cause = 0;  // the instruction that first calls it
    bool is_whole = true;   // whether its numbers may be held as integers
    Scope scope{};
    std::set<int> globals{};  // top-level registers holding functions that it calls
  };
  const Function& f() const { return *scope_->f; }
  const Flow& flow() const { return *scope_->flow; }
  bool is_inlined() const { return scope_->caller != nullptr; }
  int absolute(int r) const { return scope_->offset + r; }
  bool is_constant(int r) const { return constants_.contains(absolute(r)); }
  // Value of the register when the loop became hot.
  const Value& seen(int r) const { return absolute(r) < f_size_ ? frame_[absolute(r)] : nothing_; }
  bool is_for_machine(std::size_t at) const { return !is_inlined() && experience_.machine.contains(at); }

  // -- lower.cpp: types of blocks, code of blocks
  void find_types(Scope& scope);
  void write_blocks(Scope& scope);
  void write_code();
  void write_entries();
  void run_block(std::size_t block);
  void make_safe_point();
  // Ends the block with a jump to instruction `to`.
  void go(std::size_t to);
  void poll();
  static State merged_states(const State& a, const State& b);
  void go_either(int condition, std::size_t yes, std::size_t no, int likely = 0);
  void convert_to(const State& wanted);
  State entry_state(std::size_t head);
  void forget_unused(State& state, std::size_t at) const;

  // -- lower_values.cpp: registers and variables
  int make(VariableType type);
  void emit(Step step) {
    if (writes_) code_->steps.push_back(step);
  }
  int number_constant(double x);
  int whole_constant(std::int64_t x);
  int binary(Do what, VariableType type, int x, int y);
  int unary(Do what, VariableType type, int x);
  int compare(Do what, int x, int y) { return binary(what, VariableType::boolean, x, y); }
  int label() { return code_->labels++; }
  void place_label(int l) { emit({.what = Do::label, .immediate = l}); }
  void jump(int l) { emit({.what = Do::jump, .p = l}); }
  void branch(int condition, int yes, int no, int likely = 0) {
    emit({.what = Do::branch, .x = condition, .p = yes, .q = no, .immediate = likely});
  }
  // Returns to the machine at the safe instruction unless the condition holds.
  void guard(int condition, Reason reason);
  void go_to_safe_point(int reason);
  void leave_safely(Reason reason);
  int help(Helper helper, std::int64_t p, std::int64_t q = 0, int x = -1);
  // Returns to the machine with the error if a helper returned 0.
  void check_helped(int result);
  void leave(std::size_t at, Reason reason);
  // The same after the registers that are live there are saved for the machine.
  void leave_saving(std::size_t at, Reason reason);
  std::optional<Saved> save(int r, int first);
  void write_exits();
  // Records a write: if the register is live at the safe instruction, that is no longer safe.
  void note_change(int r) {
    if (!is_inlined() && flow().live[safe_at_].contains(r)) has_changed_ = true;
  }
  void note_stored(int r) {
    const int form = absolute(r);
    if (writes_ && !is_leaving_ && form < f_size_ &&
        std::find(out_.stored.begin(), out_.stored.end(), form) == out_.stored.end())
      out_.stored.push_back(form);
  }
  void spill(int r);
  void spill_all(std::size_t at);
  int kind_of(int r);
  void load_into(int r, const Type& type);
  void load_description(int r, int axes);
  void load_description(const Variables& v, int axes);
  void release(int r);
  void define(int r, const Operand& value);
  void define_memory(int r, Type type = memory_type());
  Type& type_of(int r) { return state_[static_cast<std::size_t>(absolute(r))]; }
  // The value of a register. One in memory is loaded after a check that it is a number or boolean, if it was
  // one when the loop became hot; otherwise the result is empty, and the machine has to execute the
  // instruction.
  std::optional<Operand> operand(int r);
  std::optional<Operand> as_number(const Operand& x);
  // As operand(), but a short vector in memory is loaded too.
  std::optional<Operand> elements(int r);
  // The register of the array that a view refers to; for other types the register itself.
  int root_of(int r);
  // The type of what a function returns, whose registers begin after those of its caller.
  static const Type& result_of(const Scope& scope) {
    const int form = scope.offset + scope.f->frame_size;
    return (*scope.returned)[static_cast<std::size_t>(form)];
  }
  const Type& type_at(int form) const { return state_[static_cast<std::size_t>(form)]; }
  std::optional<int> condition(int r);
  // The value of a register as a whole number, after checks; empty if it is not a number when the loop is
  // compiled.
  std::optional<Operand> integer_operand(int r);
  // The operand as an integer variable, with a check.
  int whole_of(const Operand& x);

  // -- lower_operations.cpp
  // Emits one instruction; false if the machine has to execute it.
  bool step(const Instruction& i);
  bool step_value(const Instruction& i);
  bool move(const Instruction& i);
  bool take(const Instruction& i);
  bool negate(const Instruction& i);
  std::optional<Operand> negated(const Operand& x);
  Operand select_single(int condition, const Operand& x, const Operand& y);
  bool call_builtin(const Instruction& i);
  bool call_of_numbers(const Instruction& i, const CallForm& form, const OfNumbers& fast);
  std::vector<int> result_of_helper(Helper helper, const std::vector<int>& given, int count,
                                    std::int64_t constant);
  std::optional<Operand> converted(ElementType to, const Operand& x);
  bool check_set(const Instruction& i);
  bool step_flow(const Instruction& i);
  bool step_element(const Instruction& i);
  bool step_loop(const Instruction& i);
  void leave_to_machine(const Instruction& i);
  void hand_over();
  void return_to_machine(const Instruction& i);
  bool load_literal(const Instruction& i);
  bool load_global(const Instruction& i);
  bool load_fixed_array(int r, const Value& slot, bool may_change = false);
  int fixed_number(const Value& slot);
  void load_fixed_values();
  Operand constant_items(const Value& value, const Type& type);
  bool compare_texts(const Instruction& i);
  std::optional<Operand> combine(Op op, const Operand& x, const Operand& y, std::uint8_t flags,
                                 bool seen_whole);
  std::optional<Operand> combine_numbers(Op op, const Operand& x, const Operand& y);
  int multiplied_power(int x, int n, const std::function<void(int out)>& otherwise);
  std::optional<Operand> combine_whole(Op op, const Operand& x, const Operand& y, bool seen_whole);
  std::optional<Operand> combine_singles(Op op, const Operand& x, const Operand& y);
  bool draw(const Instruction& i, const CallForm& form);
  std::optional<Operand> apply(Unary function, const Operand& x);
  std::optional<Operand> apply_two(Binary function, const Operand& x, const Operand& y);
  Operand boolean(int variable) { return {.form = Form::boolean, .variable = variable}; }
  Operand number(int variable) { return {.form = Form::number, .variable = variable}; }
  Operand checked(int variable, std::int64_t low, std::int64_t high);
  std::optional<Operand> combine_complex(Op op, const Operand& x, const Operand& y);
  std::optional<Operand> apply_complex(Unary function, const Operand& z);
  std::optional<Operand> as_complex(const Operand& x);
  bool store_complex(int base, int offset, const Operand& given);
  std::optional<Operand> combine_vectors(Op op, const Operand& x, const Operand& y);
  bool step_items(const Instruction& i);
  bool select_item(const Instruction& i);
  bool has_kept(int r);
  bool select_field(const Instruction& i);
  static std::vector<Operand> parts_of(const Operand& tuple);
  // Inlines a call of a function of the language.
  bool inline_call(const Instruction& i);
  bool run_inlined(Scope& scope, const Instruction& call, const Callee& callee);
  void bind_arguments(Scope& scope, const std::vector<Operand>& given, const Callee& callee);
  std::optional<Operand> known_function(int r);
  bool make_closure(const Instruction& i);
  void keep_code(const std::shared_ptr<const Function>& code);
  int template_number(const Function* code);
  void keep(const Value& function);
  void return_statement(const Instruction& i);

  // -- lower_bodies.cpp: calls of functions that are not inlined
  bool call_body(const Instruction& i, const Operand& function);
  // The operands of a call; empty if one of them is not held in variables.
  std::optional<std::vector<Operand>> arguments_of(const Instruction& call);
  Type parameter_type(const Operand& given, bool is_whole);
  Operand made_operand(const Type& type);
  Operand parameter(const Type& type, std::size_t k);
  std::vector<int> passed(const Operand& given, const Type& type);
  static std::vector<int> variables_of(const Operand& x);
  Body& body_for(const Type& function, std::vector<Type> parameters);
  void find_bodies();
  void enter_body(Body& body);
  void write_bodies();
  void check_status(int status);
  void check_globals();
  bool load_function_of_top(const Instruction& i);
  bool is_changed_in_loop(int r) const;
  // The variable with the offset of an element; -1 if the machine has to select it.
  int find_element(int base, int subscripts, int count);
  bool describe_base(int base, int count);
  void check_description(int code, Type expected, Reason reason);
  Operand load_element(int base, int offset);
  bool store_element(int base, int offset, const Operand& value);
  bool make_owned(int base);
  // Before a loop is entered: describes the arrays whose elements it uses, once for all iterations.
  void prepare_bases(std::size_t head);

  // -- lower_parts.cpp: parts of arrays, and operations on small arrays
  bool is_array(int r);
  bool make_view(int to, int from);
  void store_part(int r);
  void own_slice(int r);
  // Views and slices of the array in a register that are needed after this instruction get values of their
  // own.
  void detach(int root);
  bool is_live_after(int r) const;
  bool make_span(const Instruction& i);
  void define_span(int r, int from, int to);
  void define_all(int r);
  bool has_part(int subscripts, int count);
  struct Part {
    int pointer = -1;
    ElementType element = ElementType::float64;
    std::vector<int> extents{}, strides{};
    bool has_unit_step = false;
  };
  std::optional<Part> find_part(int base, int subscripts, int count);
  void define_slice(int r, const Part& part, int root);
  bool select_part(const Instruction& i);
  bool select_vector(const Instruction& i, int base);
  bool set_part(const Instruction& i);
  bool set_vector(const Instruction& i, const Part& target);
  bool is_of_variables(const FusedRegion& region);
  bool take_extent(int to, int array, int axis);
  bool sum_vector(const Instruction& i);
  void give_part(int number, const Part& part);
  // Describes an operand for a helper; returns its axes, or -1 if that is impossible.
  int give_operand(int number, int r);
  bool evaluate_region(const Instruction& i, FusedRegion& region);
  bool evaluate_operation(const Instruction& i, fusion::Fused& fused, int count);
  void evaluate(int to, int count, Parts parts);
  void evaluate_to(int r, int axes, int count, Parts parts);
  bool may_evaluate_into(int base, const std::vector<int>& operands);

  bool step_range(const Instruction& i);
  bool begin_steps(const Operand& from, const Operand& to, int step, int state);
  std::optional<int> step_of_iteration(const Instruction& i, std::size_t more);
  bool step_by(const Instruction& i, std::size_t more, std::size_t over);
  bool step_next(const Instruction& i, bool is_again);

  // -- lower_counted.cpp: loops over integers, whose ends prove that subscripts are in range
  // A subscript to be proved: the loop's variable plus `shift`, along an axis of an array.
  struct Wish {
    int base, axis;
    std::int64_t shift;
    auto operator<=>(const Wish&) const = default;
  };
  struct Counted {
    std::set<Wish> wishes{}, proven{};
    int bound = -1;         // the last value for which the loop goes on and the proofs hold
    bool is_begun = false;  // the code that begins the loop sets the bound
  };
  std::map<int, Counted> counted_;  // by the register of the loop's state
  const Loop* loop_of_counter(int counter) const;
  bool step_counted(const Instruction& i, bool is_again, std::size_t more, std::size_t over);
  bool is_within(int base, int axis, const Operand& subscript);
  bool is_in_each_iteration(const Loop& loop) const;
  bool is_steady(int base, const Loop& loop) const;
  void prove(const Scope& scope);
  void forget_counter(int counter);
  void forget_counters_of_loops_left(std::size_t to);
  int find_limit(const Counted& loop, int now);
  void set_bound(const Counted& loop, int now, int last);
  void derive_counter(std::size_t head, const State& state);
  bool enter_counted(std::size_t head, const State& state);

  bool step_over_vector(const Instruction& i, std::size_t more, std::size_t over);
  bool step_fused(const Instruction& i);

  Scope root_;
  Scope* scope_ = &root_;
  int f_size_;
  const Value nothing_;
  std::map<const Function*, std::unique_ptr<Flow>> flows_;  // of inlined functions
  const Value* frame_;
  const Registry& registry_;
  const Experience& experience_;
  const Helpers& helpers_;
  bool is_top_;

  Lowered out_;
  Code* code_ = &out_.code;
  std::vector<std::unique_ptr<Body>> bodies_;
  Body* body_ = nullptr;  // being emitted
  int depth_ = -1;        // in a body: how many calls may still be nested
  bool is_finding_bodies_ = false;
  bool has_all_bodies_ = false;
  bool is_whole_;  // the code is for a function, not for a loop
  std::size_t first_head_;
  bool writes_ = false;
  State state_;
  // Where the machine resumes after a failed check: the last instruction since which no live register and no
  // array has changed. Checks up to the next change share one exit that stores all live registers.
  std::size_t safe_at_ = 0;
  State safe_state_;
  bool has_changed_ = true;  // since then
  int safe_label_ = -1;
  int exit_code_ = -1;
  std::size_t at_ = 0;
  std::size_t cause_ = 0;               // the running instruction of the function with the loop
  bool is_over_ = false;                // the block has ended
  bool is_leaving_ = false;             // exits are written, after which the machine clears the frame
  std::optional<std::size_t> goes_to_;  // the single successor of the current instruction
  int skipped_ = 0;                     // instructions that were emitted together with the current one
  std::vector<bool> mentioned_;
  std::map<int, double> constants_;
  struct OpenExit {
    int label;
    std::size_t at;
    State state;
  };
  std::vector<OpenExit> exits_;
  std::map<Reason, int> exit_labels_;  // of the current instruction or body
  std::vector<Variables> variables_;
  // Numbers and arrays that do not change while the code runs, of the module or captured, by address.
  std::map<const Value*, Variables> fixed_values_;
  Variables& variables(int r) { return variables_[static_cast<std::size_t>(absolute(r))]; }
  std::vector<int> item_variables(int r, int count);
  int number_variable(int r);
  int whole_variable(int r);
  int boolean_variable(int r);
  void make_description(int r, int axes);
};

}  // namespace quill::native
