// The compiler's inside, shared by the files for expressions and statements.
#pragma once

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
  // place = value in r, for a name of any kind.
  void store_name(const Node& target, int place, int r);
  // A function inside this one.
  std::shared_ptr<const Function> inner(const Node& node);

  // Numbers written in the text get registers of their own, filled on entry.
  void prepare(int first_free, const Node& body);
  static void collect_numbers(const Node& node, std::vector<double>& out, bool outermost);
  std::shared_ptr<const Function> finish();

  // -- code and registers

  std::size_t emit(Op op, const Node& node, int a = 0, int b = 0, int c = 0, int n = 0, int flag = 0);
  int here() const { return static_cast<int>(out_->code.size()); }
  void land(std::size_t jump) { out_->code[jump].a = here(); }

  int fresh(int count = 1);
  [[noreturn]] void fail_node(const Node& node, std::string message, std::string hint = {});

  // Runs a piece of compilation whose Error is one of possibly several.
  template <class F>
  void guarded(F f) {
    try {
      f();
    } catch (Error& error) { tree_->errors.push_back(std::move(error)); }
  }

  int literal(Value value);
  int load(const Node& node, Value value, int wanted);

  // The frame's place of a resolved name, or -1 when it has none here.
  int place_of(const Binding& b) const;

  // -- expressions: the register that holds the value; `wanted` is where it should be, when not -1

  int value_into(const Node& node, int wanted);
  int value(const Node& node, int wanted = -1);
  int value_unseen(const Node& node, int wanted);
  int constant(const Node& node, double number, int wanted);
  int name(const Node& node, int wanted);
  // Whether the text has not given the name a value where it stands: until then a built-in's name is the
  // built-in.
  bool is_before_given(const Node& name) const;
  // The register of a variable that may be an alias, to be shown as such; -1 for all else.
  int aliased_place(const Node& node) const;
  int last(const Node& node, int wanted);
  int binary(const Node& node, int wanted);

  // The right side is evaluated only when a single boolean on the left does not decide.
  int logical(const Node& node, int wanted);
  // Neither a name nor a number of the function: only one instruction reads it.
  bool is_temporary(int r) const { return r >= first_temporary_; }

  int comparison(const Node& node, int wanted);
  int asked_of(const Node& comparison) const;

  // Missing ends are filled in only inside index brackets.
  int range(const Node& node, int wanted);
  int conditional(const Node& node, int wanted);

  // Evaluates nodes into neighbouring registers and returns the first.
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

  // The operands of an elementwise operation, none when the node is something else. `most`: see fused().
  std::vector<const Node*> fused_operands(const Node& node) const;
  int count_fused(const Node& node, int most) const;
  // What a reduction goes over: the argument of one over everything, which may be an array, or a calculation
  // that is reduced over an axis. Null otherwise.
  const Node* fused_argument(const Node& node) const;
  static int axis_of(const Node& reduction);  // from 0; -1 when it names none
  // A call of a function of the text, whose body may be inlined.
  bool is_inlined(const Node& node) const;
  // Whether what calls read and do is the same when everything else that the expression reads comes first.
  // `called`: a call has ended before the node.
  bool reads_fit(const Node& node, bool& called) const;
  // Whether the node is fused; the value is whether functions that it calls are inlined in it.
  std::optional<bool> fused_root(const Node& node);
  // A name that nothing else changes, or a part of what it stands for.
  bool is_kept(const Node& node) const;
  // Whether an expression is made of such names and parts, and of what is plain to read.
  bool reads_alone(const Node& node) const;
  // The condition by which elements are chosen from what a name stands for.
  const Node* selected_by(const Node& selection) const;
  // Where the name stands that chooses in array[name], if it holds booleans; -1 when the node is
  // something else, or the name that of a loop, which hardly does.
  int chooser_of(const Node& node) const;
  // The same for an expression of such choices and of what is plain to read, whose choosers must be one.
  bool find_chooser(const Node& node, int& chooser) const;
  // Such an expression: fused if the name holds booleans, otherwise step by step; nothing if the node is
  // none.
  std::optional<int> fused_choice(const Node& node, int wanted);
  void add_reduction(const Node& node, FusedRegion& region) const;
  const Node* tried_choice_ = nullptr;
  int chooser_ = -1;  // of the expression that is added
  // An input of the elements that are chosen; its step, or -1 where they are another input's by another
  // condition.
  int add_chosen(const Node& selection, FusedRegion& region);
  int add_chosen_from(const Node& selection, FusedRegion& region);
  bool is_fused_root(const Node& node) const;
  bool is_plain(const Node& node) const;
  int fused(const Node& node, int wanted, bool inlines);
  std::size_t emit_fused(const Node& node, int r, const FusedRegion& region);
  void keep(std::shared_ptr<FusedRegion> region);
  // name[…] = an elementwise expression, written where it belongs; false when the statement is something
  // else.
  bool fused_assignment(const Node& statement);
  // Whether a subscript only reads names and numbers.
  bool does_nothing(const Node& subscript) const;
  std::shared_ptr<FusedRegion> assigned_region(const Node& statement);
  int add_fused(const Node& node, bool is_root, FusedRegion& region);
  // The operation of a node on the steps of its operands.
  int add_operation(const Node& node, const std::vector<int>& from, FusedRegion& region);
  bool inline_calls_ = false;  // calls of functions of the text count as operations

  // -- expressions without instructions (compile_comprehension.cpp)

  // Where a name has its value; nothing when it may have none.
  std::optional<FusedRead> read_of(const Node& name) const;
  bool add_terms(const Node& node, double factor, FusedElement::Subscript& to) const;
  std::optional<FusedElement> element_of(const Node& node) const;
  // Their step; -1 when the node needs more than to be read.
  int add_quiet_leaf(const Node& node, FusedRegion& region);
  int add_quiet(const Node& node, FusedRegion& region);
  static std::vector<const Node*> loops_of(const Node& comprehension);  // of a grid the one down first
  // What the loops of a comprehension go over, evaluated; none when its items go one by one.
  std::vector<FusedLoop> sources_of(const Node& node);
  // All items of a comprehension over its sources; null when they go one by one.
  std::shared_ptr<FusedRegion> items_region(const Node& node, const std::vector<FusedLoop>& sources);
  // The pass for them, whose jump is still to be set.
  std::optional<std::size_t> fused_comprehension(const Node& node, const std::vector<FusedLoop>& sources,
                                                 int collector);
  std::shared_ptr<const FusedRegion> body_region(const Node& body);
  std::vector<int> loop_variables_;       // registers
  const Node* quiet_obstacle_ = nullptr;  // the first node that needed more
  std::map<const Node*, int> leaves_;     // registers of what fused operations read
  bool one_by_one_ = false;               // the operations of a fused expression are compiled

  // -- calls

  // A call of a built-in is checked here: names of arguments, their count. Arguments start at kid `from`.
  void check_builtin_call(const Node& node, const Builtin& row, std::size_t from);
  // The form of a call, whose arguments start at kid `from`; a number for instructions.
  int call_form(const Node& node, std::size_t from, int row);
  static int literal_flags(const Node& left, const Node& right);
  int call(const Node& node, int wanted, bool each);
  // Integers written in the text, with all their digits; nothing for any other expression.
  std::optional<Value> exact_integers(const Node& node);

  // -- choosing and assigning elements

  // Subscripts in neighbouring registers; `..`, `...` and `new` leave theirs alone.
  int subscripts(const Node& node, int base);
  int index(const Node& node, int wanted);

  // The register of a name that is going to be changed.
  int changed_name(const Node& node);

  // target[…] = value in register r. With `op`, the chosen elements are combined with it first.
  void set_elements(const Node& target, int r, Op op, const Node& statement);

  // -- statements

  // At the prompt an assignment is shown; one inside of a loop once, when the loop has ended.
  void card(const Node& node, int place);
  void emit_card(const Node& node, int place);
  void cards_after_loop();
  void block(const Node& node) { block_up_to(node, node.kids.size()); }
  void block_up_to(const Node& node, std::size_t count);
  // How many statements of the top level run: all, or those up to the end of the last section wanted.
  std::size_t end_of_section();

  // A block that may not run: what it assigns is not certain afterwards.
  void uncertain_block(const Node& node);
  void statement(const Node& node);
  void assign(const Node& node);
  void unpack(const Node& node);
  void bare(const Node& node);
  // Warns if a built-in returns its changed argument and the result is not used.
  void warn_if_discarded(const Node& node);
  void define(const Node& node);
  void branch(const Node& node);

  struct Loop {
    std::vector<std::size_t> leave;
    std::vector<std::size_t> next;
    std::size_t blocks = 0;  // figure, panel and timed blocks open around the loop
  };
  void loop_for(const Node& node);
  void loop_while(const Node& node);
  // Ends the figure, panel and timed blocks that are open, from the innermost on.
  void close_blocks(std::size_t down_to);
  void leave(const Node& node);
  void give_back(const Node& node);
  void given(const Node& node);
  void drawing(const Node& node);
  void timed(const Node& node);
  void use(const Node& node);

  // What the condition compares is kept, so that a failure can show it.
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
  bool is_later_text_ = false;  // names had values before
  int next_ = 0;
  int first_temporary_ = 0;
  int most_ = 0;
  std::set<int> shared_;                              // registers of names that have aliases, or are some
  std::set<int> assigned_;                            // registers of names that surely have a value here
  std::map<std::string, std::uint32_t> first_given_;  // where the top level first gives a name a value
  std::vector<std::pair<int, int>> index_bases_;      // register and axis that `last` speaks of
  // Names that a call takes its argument from, since the result replaces their value: a = append(a, x).
  void find_taken(const Node& assignment);
  std::set<const Node*> taken_;
  const Node* assigned_call_ = nullptr;  // the call whose result is assigned to names
  std::vector<Loop> loops_;
  std::set<int> loop_names_;                         // registers that a loop has set
  std::vector<std::pair<const Node*, int>> blocks_;  // with the register of a timing
  std::vector<std::pair<const Node*, int>> cards_of_loop_;
  const Node* asked_ = nullptr;  // the last call of any or all
  Watched watched_;              // of the expectation that is being compiled
};

}  // namespace quill
