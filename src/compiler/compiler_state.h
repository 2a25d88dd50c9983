// Implementation class of compile(), shared by its files for statements and expressions.
#pragma once

#include <algorithm>
#include <map>
#include <set>

#include "base/error.h"
#include "compiler/compiler.h"
#include "compiler/constants.h"
#include "compiler/fused_region.h"
#include "language/effects.h"

namespace quill {

// Compiles one function, or the top level of a text.
class Compiler {
 public:
  Compiler(const std::shared_ptr<Tree>& tree, Module& module, const Registry& registry,
           const CompileOptions& options)
      : tree_(tree), module_(module), registry_(registry), options_(options) {}

  std::shared_ptr<const Function> top();

 private:
  void assign_alias(const Node& node);
  // Assigns register r to a name of any kind, whose register is `place`.
  void store_name(const Node& target, int place, int r);
  // Compiles a nested function.
  std::shared_ptr<const Function> inner(const Node& node);

  // Reserves registers for number literals, which are set on entry.
  void prepare(int first_free, const Node& body);
  static void collect_numbers(const Node& node, std::vector<double>& out, bool outermost);
  std::shared_ptr<const Function> finish();

  // -- code and registers

  std::size_t emit(Op op, const Node& node, int a = 0, int b = 0, int c = 0, int n = 0, int flag = 0);
  int here() const { return static_cast<int>(out_->code.size()); }
  void land(std::size_t jump) { out_->code[jump].a = here(); }

  int fresh(int count = 1);
  [[noreturn]] void fail_node(const Node& node, std::string message, std::string hint = {});

  // Runs f; its Error is added to the tree's errors, and compilation continues.
  template <class F>
  void guarded(F f) {
    try {
      f();
    } catch (Error& error) { tree_->errors.push_back(std::move(error)); }
  }

  int literal(Value value);
  int load(const Node& node, Value value, int wanted);

  // Register of a resolved name, or -1 if it has none in this function.
  int register_of(const Binding& b) const;

  // -- expressions: the result is the register of the value; `wanted` is the preferred one, or -1

  int value_into(const Node& node, int wanted);
  int value(const Node& node, int wanted = -1);
  int value_unseen(const Node& node, int wanted);
  int constant(const Node& node, double number, int wanted);
  int name(const Node& node, int wanted);
  // Whether the name has no value yet at this point of the text, so that it refers to a built-in.
  bool is_before_given(const Node& name) const;
  // Register of a variable that may be an alias and is displayed as one; -1 otherwise.
  int aliased_register(const Node& node) const;
  int last(const Node& node, int wanted);
  int binary(const Node& node, int wanted);

  // Evaluates the right side only if a single boolean on the left does not decide.
  int logical(const Node& node, int wanted);
  // Whether the register is a temporary, which exactly one instruction reads.
  bool is_temporary(int r) const { return r >= first_temporary_ && !is_kept_value(r); }
  bool is_kept_value(int r) const {
    return std::any_of(kept_values_.begin(), kept_values_.end(),
                       [&](const auto& kept) { return kept.r == r; });
  }

  int comparison(const Node& node, int wanted);
  int asked_of(const Node& comparison) const;

  // Omitted ends are allowed only inside index brackets.
  int range(const Node& node, int wanted);
  int conditional(const Node& node, int wanted);

  // Evaluates nodes into consecutive registers and returns the first.
  template <class Get>
  int in_a_row(std::size_t count, Get get) {
    const int first = fresh(static_cast<int>(count));
    for (std::size_t i = 0; i < count; ++i) value_into(get(i), first + static_cast<int>(i));
    return first;
  }

  int several(Op op, const Node& node, int wanted);
  int matrix(const Node& node, int wanted);
  int text(const Node& node, int wanted);
  int comprehension(const Node& node, int wanted);
  int globals_and(int local) const { return top_level_ ? globals_ + local : local; }

  int closure(const Node& node, int wanted);

  // -- fused regions (compile_fused.cpp)

  // Operands of an elementwise operation; empty for other nodes.
  std::vector<const Node*> fused_operands(const Node& node) const;
  int count_fused(const Node& node, int most) const;
  // The argument of a reduction: of one over everything, which may be an array, or an expression that is
  // reduced over an axis. Null otherwise.
  const Node* fused_argument(const Node& node) const;
  static int axis_of(const Node& reduction);  // from 0; -1 if it names none
  // A call of a function of the text that may be inlined.
  bool is_inlined(const Node& node) const;
  // Whether calls in the expression give the same if its other reads come first. `called`: a call has ended
  // before the node.
  bool reads_fit(const Node& node, bool& called) const;
  // Whether the node is fused; the value tells whether functions that it calls are inlined.
  std::optional<bool> fused_root(const Node& node);
  // A name that nothing else changes, or a part of its value.
  bool is_kept(const Node& node) const;
  // Whether an expression consists of such names and parts and of simple reads.
  bool reads_alone(const Node& node) const;
  // The condition that selects elements of a name's value.
  const Node* selected_by(const Node& selection) const;
  // Register of `name` in array[name], if it may hold booleans; -1 for other nodes and loop variables.
  int chooser_of(const Node& node) const;
  // The same for an expression of such selections and simple reads, which must all use one mask.
  bool find_chooser(const Node& node, int& chooser) const;
  // Compiles such an expression: fused if the name holds booleans, otherwise step by step. Nothing for other
  // nodes.
  std::optional<int> fused_choice(const Node& node, int wanted);
  void add_reduction(const Node& node, FusedRegion& region) const;
  const Node* tried_choice_ = nullptr;
  int chooser_ = -1;  // mask of the expression being compiled
  // Adds an input of selected elements; its step, or -1 if another input has a different condition.
  int add_chosen(const Node& selection, FusedRegion& region);
  int add_chosen_from(const Node& selection, FusedRegion& region);
  bool is_fused_root(const Node& node) const;
  bool is_plain(const Node& node) const;
  int fused(const Node& node, int wanted, bool inlines);
  std::size_t emit_fused(const Node& node, int r, const FusedRegion& region);
  void keep(std::shared_ptr<FusedRegion> region);
  // Compiles name[…] = elementwise expression as a region that writes in place; false for other statements.
  bool fused_assignment(const Node& statement);
  // Whether a subscript only reads names and numbers.
  bool does_nothing(const Node& subscript) const;
  std::shared_ptr<FusedRegion> assigned_region(const Node& statement);
  int add_fused(const Node& node, bool is_root, FusedRegion& region);
  // Adds the operation of a node, given the steps of its operands.
  int add_operation(const Node& node, const std::vector<int>& from, FusedRegion& region);
  bool inline_calls_ = false;  // calls of functions of the text count as operations

  // -- expressions compiled without instructions (compile_comprehension.cpp)

  // Where the value of a name is read; nothing if it may have none.
  std::optional<FusedRead> read_of(const Node& name) const;
  bool add_terms(const Node& node, double factor, FusedElement::Subscript& to) const;
  std::optional<FusedElement> element_of(const Node& node) const;
  // Adds a leaf and returns its step; -1 if it needs more than a read.
  int add_quiet_leaf(const Node& node, FusedRegion& region);
  int add_quiet(const Node& node, FusedRegion& region);
  static std::vector<const Node*> loops_of(const Node& comprehension);  // the outer loop of a grid first
  // Evaluates what the loops of a comprehension iterate over; empty if items are computed one by one.
  std::vector<FusedLoop> sources_of(const Node& node);
  // Region for all items of a comprehension; null if they are computed one by one.
  std::shared_ptr<FusedRegion> items_region(const Node& node, const std::vector<FusedLoop>& sources);
  // Emits its instruction; the result is the jump that is still to be patched.
  std::optional<std::size_t> fused_comprehension(const Node& node, const std::vector<FusedLoop>& sources,
                                                 int collector);
  std::shared_ptr<const FusedRegion> body_region(const Node& body);
  std::vector<int> loop_variables_;       // registers
  const Node* quiet_obstacle_ = nullptr;  // first node that is not a simple read
  std::map<const Node*, int> leaves_;     // registers of the leaves of fused operations
  bool one_by_one_ = false;               // compiling the unfused form of a fused expression

  // -- calls

  // Checks names and number of arguments of a built-in's call, which start at child `from`.
  void check_builtin_call(const Node& node, const Builtin& row, std::size_t from);
  // Number of the form of a call, whose arguments start at child `from`.
  int call_form(const Node& node, std::size_t from, int row);
  static int literal_flags(const Node& left, const Node& right);
  int call(const Node& node, int wanted, bool each);
  // Integer literals with all their digits; nothing for other expressions.
  std::optional<Value> exact_integers(const Node& node);

  // -- selection and assignment of elements

  // Subscripts in consecutive registers; `..`, `...` and `new` leave theirs unset.
  int subscripts(const Node& node, int base);
  int index(const Node& node, int wanted);

  // Register of a name that is going to be modified.
  int changed_name(const Node& node);

  // target[…] = register r; with `op`, combines it with the selected elements.
  void set_elements(const Node& target, int r, Op op, const Node& statement);

  // -- statements

  // At the prompt, shows an assignment; inside of a loop once, after the loop.
  void card(const Node& node, int place);
  void emit_card(const Node& node, int place);
  void cards_after_loop();
  void block(const Node& node) { block_up_to(node, node.kids.size()); }
  void block_up_to(const Node& node, std::size_t count);
  // Number of statements of the top level that run: all, or up to the end of the last section requested.
  std::size_t end_of_section();

  // A block that may not run: its assignments are uncertain afterwards.
  void uncertain_block(const Node& node);
  void statement(const Node& node);
  void assign(const Node& node);
  void unpack(const Node& node);
  void bare(const Node& node);
  // Warns if a built-in returns its modified argument and the result is discarded.
  void warn_if_discarded(const Node& node);
  void define(const Node& node);
  void branch(const Node& node);

  struct Loop {
    std::vector<std::size_t> leave;
    std::vector<std::size_t> next;
    std::size_t blocks = 0;  // figure, panel and timed blocks open around the loop
  };
  // Reads names of the module (in functions), and fields of variables that the loop does not change, into
  // registers before the loop. What cannot be read there has no value: the loop then evaluates it where it is
  // used, and reports the error there.
  void keep_values(const Node& loop);
  void keep_value(const Node& node, const Node& loop, int from, const std::string& field);
  void release_values(const Node& loop);
  // The register with the kept value of a module slot, or of a field of the value in a register; -1 if none.
  int kept_value(int from, const std::string& field) const;
  int part(const Node& node, int wanted);
  void loop_for(const Node& node);
  void loop_while(const Node& node);
  // Closes figure, panel and timed blocks, innermost first, until `down_to` are left.
  void close_blocks(std::size_t down_to);
  void leave(const Node& node);
  void return_statement(const Node& node);
  void given(const Node& node);
  void drawing(const Node& node);
  void timed(const Node& node);
  void use(const Node& node);

  // Saves the compared values of the condition, so that a failure can show them.
  void expect(const Node& node);
  void watch(const Node& condition, Watched& watched);
  std::shared_ptr<Tree> tree_;
  Module& module_;
  const Registry& registry_;
  CompileOptions options_;
  std::shared_ptr<Function> out_ = std::make_shared<Function>();
  const Scope* scope_ = nullptr;
  bool top_level_ = false;
  int globals_ = 0;
  bool is_later_text_ = false;  // earlier texts have assigned names
  int next_ = 0;
  int first_temporary_ = 0;
  int most_ = 0;
  std::set<int> shared_;                              // registers of names that have aliases or are aliases
  std::set<int> assigned_;                            // registers of names that are certain to have a value
  std::map<std::string, std::uint32_t> first_given_;  // location of the first assignment at top level
  std::vector<std::pair<int, int>> index_bases_;      // register and axis that `last` refers to
  // Finds names whose value a call may take, since its result replaces it: a = append(a, x).
  void find_taken(const Node& assignment);
  std::set<const Node*> taken_;
  const Node* assigned_call_ = nullptr;  // call whose result is assigned
  std::vector<Loop> loops_;
  struct KeptValue {
    int from = -1;               // slot of the module, or with a field the register of the record
    std::string field;           // "" for a name of the module
    int r = -1;                  // register of the value
    const Node* loop = nullptr;  // outermost loop that does not change the variable
  };
  std::vector<KeptValue> kept_values_;
  std::set<int> loop_names_;                         // registers set by loops
  std::vector<std::pair<const Node*, int>> blocks_;  // with the register of a timing
  std::vector<std::pair<const Node*, int>> cards_of_loop_;
  const Node* asked_ = nullptr;  // the last call of any or all
  Watched watched_;              // of the expectation being compiled
};

}  // namespace quill
