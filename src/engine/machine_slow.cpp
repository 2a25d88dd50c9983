// Longer instructions.
#include <fmt/format.h>

#include <cmath>

#include "array/scalar.h"
#include "base/interrupt.h"
#include "compiler/operations_table.h"
#include "engine/elements.h"
#include "engine/machine.h"
#include "engine/operations.h"
#include "value/print.h"

namespace quill {

// An instruction with its operands.
struct Machine::Step {
  const Instruction& i;
  const Node* node;
  Value* r;
  Value& a;
  const Value &b, &c;
  const Function& f;
  // The registers that the instruction takes, from `first` on.
  std::span<Value> values(int first) const { return {r + first, i.n}; }
};

// Literals, variables and conditions.
bool Machine::step_access(const Step& step) {
  const auto& [i, node, r, a, b, c, f] = step;
  switch (i.op) {
    case Op::load: a = f.literals[static_cast<std::size_t>(i.b)]; return true;
    case Op::check:
      if (a.is(Kind::unset)) fail(fmt::format("`{}` has no value yet", written(*node)));
      return true;
    case Op::global_early: {
      const auto& slot = f.module->slots[static_cast<std::size_t>(i.b)];
      a = slot.is(Kind::unset) ? Value() : plain_value(slot);
      return true;
    }
    case Op::get_global:
    case Op::global_once: {
      if (i.op == Op::global_once && !a.is(Kind::unset)) return true;
      const auto& slot = f.module->slots[static_cast<std::size_t>(i.b)];
      if (slot.is(Kind::unset)) {
        if (i.c < 0) fail(fmt::format("`{}` has no value yet", written(*node)));
        const auto& row = registry_.row(i.c);
        a = row.constant ? Value(*row.constant) : Value::builtin(row);
        return true;
      }
      a = plain_value(slot);
      return true;
    }
    case Op::jump_false: condition_of(b); return true;
    default: return false;
  }
}

// Operators and elementwise functions.
bool Machine::step_operator(const Step& step) {
  const auto& [i, node, r, a, b, c, f] = step;
  switch (i.op) {
#define QUILL_CASE(name, ...) case Op::name:
    QUILL_ARITHMETIC_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
    if (i.op == Op::power && b.is_number() && c.is_number()) {
      const double x = b.number(), y = c.number(), result = scalar::Power{}(x, y);
      if (std::isnan(result) && !std::isnan(x) && !std::isnan(y))
        warn("the result of a power is not real for some elements, which became nan",
             "use complex(x) ^ y for complex results", node);
      a.set_number(result);
      return true;
    }
    [[fallthrough]];
    case Op::matrix_product: operate_into(*this, i.op, a, r[i.b], r[i.c], i.flag, *node); return true;
#define QUILL_CASE(name, ...) case Op::name:
      QUILL_COMPARISON_OPERATORS(QUILL_CASE)
      a = operate(*this, i.op, b, c, i.flag, *node, i.n);
      return true;
      QUILL_LOGICAL_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
      a = operate(*this, i.op, b, c, i.flag, *node);
      return true;
    case Op::negate:
    case Op::logical_not:
    case Op::transpose: a = operate(*this, i.op, b, *node); return true;
    case Op::apply: {
      const auto function = static_cast<Unary>(i.c);
      if (b.is_number() && function < Unary::is_nan) {
        const double x = b.number(), result = apply(function, x);
        if (!std::isnan(result) || std::isnan(x)) {
          a.set_number(result);
          return true;
        }
      }
      a = apply_function(*this, function, b, node);
      return true;
    }
    default: return false;
  }
}

// Values made of others.
bool Machine::step_building(const Step& step) {
  const auto& [i, node, r, a, b, c, f] = step;
  switch (i.op) {
    case Op::range: a = make_range(r[i.b], r[i.b + 1], i.c ? &r[i.b + 2] : nullptr, i.c == 2); return true;
    case Op::tuple: a = Value::tuple({step.values(i.b).begin(), step.values(i.b).end()}); return true;
    case Op::record: {
      std::vector<std::pair<std::string, Value>> fields;
      const auto& names = f.name_lists[static_cast<std::size_t>(i.c)];
      for (int k = 0; k < i.n; ++k) fields.emplace_back(names[static_cast<std::size_t>(k)], r[i.b + k]);
      a = Value::record(std::move(fields));
      return true;
    }
    case Op::dictionary: {
      Value out(Kind::dictionary, new DictionaryObject);
      for (int k = 0; k + 1 < i.n; k += 2) out.object<DictionaryObject>().set(r[i.b + k], r[i.b + k + 1]);
      a = std::move(out);
      return true;
    }
    case Op::matrix:
      a = make_matrix(step.values(i.b), f.brackets[static_cast<std::size_t>(i.c)]);
      return true;
    case Op::text: {
      std::string out;
      int hole = 0;
      for (const auto& part : f.templates[static_cast<std::size_t>(i.c)])
        out += part.is_hole ? formatted(r[i.b + hole++], part.text) : part.text;
      a = Value::text(std::move(out));
      return true;
    }
    case Op::list_begin: a = Value::tuple({}); return true;
    case Op::list_push: a.object<TupleObject>().items.push_back(b); return true;
    case Op::list_end: {
      auto& items = a.object<TupleObject>().items;
      if (i.c < 0) {
        a = collect(std::move(items));
        return true;
      }
      const Value* const sizes = r + i.c;
      a = collect(std::move(items),
                  Shape{static_cast<Index>(sizes[0].number()), static_cast<Index>(sizes[1].number())});
      return true;
    }
    default: return false;
  }
}

// Elements, parts and aliases.
bool Machine::step_element(const Step& step) {
  const auto& [i, node, r, a, b, c, f] = step;
  switch (i.op) {
    case Op::index: try { a = select(*this, b, step.values(i.c), *node, i.flag == 1);
      } catch (Error& error) {
        if (i.flag == 2 && b.is(Kind::dictionary)) error.hint = fmt::format("{} = {{}}", written(*node));
        throw;
      }
      return true;
    case Op::read_shared: a = plain_value(b); return true;
    case Op::write_shared:
      if (i.flag != 0 && a.is(Kind::alias)) {
        set_shared_elements(a, {}, b);
        return true;
      }
      if (a.is(Kind::store) && a.object<StoreObject>().use_count() > 1) {
        const auto owner = a.object<StoreObject>().owner;
        warn(fmt::format("`{0}` is bound to a new value; its aliases keep the old one", owner),
             fmt::format("{0}[..] = … changes the elements of {0} itself", owner), node);
        a.object<StoreObject>().owner = "the former " + owner;
      }
      a = Value(b);
      return true;
    case Op::set_shared: set_shared_elements(a, step.values(i.b), c); return true;
    case Op::make_alias: {
      if (i.a == i.b) fail("a variable cannot be an alias of itself");
      make_alias(a, r[i.b], r[i.c - 1].text(), i.flag != 0, step.values(i.c));
      return true;
    }
    case Op::update_index:
      update_elements(*this, static_cast<Op>(i.flag & ~kUpdateLiteral), a, step.values(i.b), r[i.c],
                      (i.flag & kUpdateLiteral) != 0, *node);
      return true;
    case Op::set_index: try { set_elements(a, step.values(i.b), c);
      } catch (Error& error) {
        explain_assignment(error, a, c, node);
        throw;
      }
      return true;
    case Op::extent: a.set_number(extent_of(b, i.c)); return true;
    case Op::part_early: {
      const auto* const record = b.is(Kind::record) ? &b.object<RecordObject>() : nullptr;
      const auto* const field =
          record ? record->find(f.literals[static_cast<std::size_t>(i.c)].text()) : nullptr;
      a = field ? *field : Value();
      return true;
    }
    case Op::part:
    case Op::part_once: {
      if (i.op == Op::part_once && !a.is(Kind::unset)) return true;
      const auto& name = f.literals[static_cast<std::size_t>(i.c)].text();
      try {
        a = part_of(b, name);
      } catch (Error& error) {
        if (!b.is(Kind::record) && !b.is(Kind::library) && registry_.find(name) >= 0 && node)
          error.hint = call_instead(*node);
        throw;
      }
      return true;
    }
    default: return false;
  }
}

// Calls, functions, unpacking and iteration.
bool Machine::step_call(const Step& step) {
  const auto& [i, node, r, a, b, c, f] = step;
  switch (i.op) {
    case Op::call_builtin: {
      const auto& form = f.calls[static_cast<std::size_t>(i.c)];
      const auto& row = registry_.row(form.row);
      if (i.n == 0 && row.draw) {
        a.set_number(row.draw(context_));
        return true;
      }
      if (i.n == 2 && row.draw_whole && form.is_bound && b.is_number() && r[i.b + 1].is_number())
        if (const auto drawn = row.draw_whole(context_, b.number(), r[i.b + 1].number())) {
          set_single_integer(a, ElementType::int64, *drawn);
          return true;
        }
      try {
        a = quill::call_builtin(*this, row, step.values(i.b), &form, node);
      } catch (...) {
        if (i.flag) a = std::move(r[i.b]);  // from which the first argument was taken
        throw;
      }
      poll_interrupt();  // requests that arrived during a library call
      return true;
    }
    case Op::each: {
      if (!b.is_callable()) fail(fmt::format("`each` applies a function, not {}", kind_in_words(b)));
      a = call_each(Value(b), std::span<const Value>(r + i.b + 1, i.n),
                    i.flag & 1 ? &f.calls[static_cast<std::size_t>(i.c)] : nullptr, node);
      return true;
    }
    case Op::closure: make_closure(i, r); return true;
    case Op::self: a = frames_.back().keep; return true;
    case Op::unpack: {
      auto parts = unpacked(b, i.n);
      for (int k = 0; k < i.n; ++k) r[i.a + k] = std::move(parts[static_cast<std::size_t>(k)]);
      return true;
    }
    case Op::iterate: iterate(r + i.a, Value(b), *node); return true;
    default: return false;
  }
}

// Output, checks, inputs and other statements.
bool Machine::step_statement(const Step& step) {
  const auto& [i, node, r, a, b, c, f] = step;
  switch (i.op) {
    case Op::show:
      if (!a.is(Kind::none) || !i.flag) services_.show(std::string(f.tree->source->text(node->span)), a);
      return true;
    case Op::card: services_.card(f.literals[static_cast<std::size_t>(i.b)].text(), a); return true;
    case Op::expect: check_expectation(i, *node, r); return true;
    case Op::section: services_.begin_section(f.literals[static_cast<std::size_t>(i.b)].text()); return true;
    case Op::given:
      a = services_.input(f.literals[static_cast<std::size_t>(i.c)].text(), Value(b),
                          f.literals[static_cast<std::size_t>(i.c) + 1].text());
      return true;
    case Op::close_block: services_.close_block(); return true;
    case Op::close_frame: services_.close_frame(Value(a)); return true;
    case Op::timed_begin: begin_timing(i, r); return true;
    case Op::use: {
      Value names = use_file(f.literals[static_cast<std::size_t>(i.b)].text(), *node);
      a = std::move(names);
      return true;
    }

    default: return false;
  }
}

void Machine::step_slow(const Instruction& i, const Node* node, Value* r) {
  const Step step{i, node, r, r[i.a], r[i.b], r[i.c], *frames_.back().function};
  if (step_operator(step) || step_element(step) || step_call(step) || step_building(step) ||
      step_access(step) || step_statement(step))
    return;
  throw std::logic_error("this operation is not defined here");
}

}  // namespace quill
