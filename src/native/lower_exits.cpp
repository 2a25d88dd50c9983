// Checks, calls of helpers, and how the code is left.
#include "native/lowering.h"

namespace quill::native {

void Lowering::guard(int condition, Reason reason) {
  if (!writes_) return;
  if (helpers_.tick) {
    const int is_on = compare(Do::not_equal, help(helpers_.tick, 0), whole_constant(0));
    condition = binary(Do::logical_and, VariableType::boolean, condition, is_on);
  }
  const int on = label();
  const auto [found, is_new] = exit_labels_.try_emplace(reason, 0);
  if (is_new) found->second = label();
  branch(condition, on, found->second, 1);
  if (is_new && body_ == nullptr) {
    place_label(found->second);
    go_to_safe_point(whole_constant(static_cast<int>(reason)));
  }
  place_label(on);
}

// Leaves the code as after a failed check.
void Lowering::leave_safely(Reason reason) {
  if (!writes_) return;
  if (body_)
    emit({.what = Do::give, .x = whole_constant(static_cast<int>(reason)), .p = -1});
  else
    go_to_safe_point(whole_constant(static_cast<int>(reason)));
}

void Lowering::go_to_safe_point(int reason) {
  if (safe_label_ < 0) {
    safe_label_ = label();
    exits_.push_back({safe_label_, safe_at_, safe_state_});
  }
  const int rest = whole_constant(packed(safe_at_, Reason{}, cause_));
  emit({.what = Do::add, .dst = exit_code_, .x = rest, .y = reason});
  jump(safe_label_);
}

int Lowering::help(Helper helper, std::int64_t p, std::int64_t q, int x) {
  const int v = make(VariableType::whole);
  emit({.what = Do::help,
        .dst = v,
        .x = x,
        .p = static_cast<int>(p),
        .q = static_cast<int>(q),
        .immediate = reinterpret_cast<std::int64_t>(helper)});
  return v;
}

void Lowering::check_helped(int result) {
  if (!writes_) return;
  const int fine = label(), failed = label();
  branch(compare(Do::not_equal, result, whole_constant(0)), fine, failed, 1);
  place_label(failed);
  leave(at_, Reason::error);
  place_label(fine);
}

void Lowering::leave(std::size_t at, Reason reason) {
  const int code = whole_constant(packed(at, reason, at));
  emit({.what = Do::leave, .x = code});
}

void Lowering::leave_saving(std::size_t at, Reason reason) {
  if (!writes_) return;
  const int l = label();
  exits_.push_back({l, at, state_});
  emit({.what = Do::constant, .dst = exit_code_, .immediate = packed(at, reason, at)});
  jump(l);
}

// The variables of a register, for the machine; empty if the frame has its value.
std::optional<Saved> Lowering::save(int r, int first) {
  const auto& type = type_of(r);
  if (type.form == Form::nowhere || type.form == Form::memory || type.is_stored || is_constant(r))
    return std::nullopt;
  Saved out{r, type, first};
  const auto put = [&](int v) { emit({.what = Do::save, .x = v, .immediate = first++}); };
  const auto put_description = [&](const Variables& v, int axes) {
    put(v.pointer);
    for (int k = 0; k < axes; ++k) {
      put(v.extents[k]);
      put(v.strides[k]);
    }
  };
  switch (type.form) {
    case Form::number:
    case Form::real32: put(number_variable(r)); break;
    case Form::whole:
    case Form::single: put(whole_variable(r)); break;
    case Form::boolean: put(boolean_variable(r)); break;
    case Form::function: {
      const auto kept = std::find_if(out_.kept.begin(), out_.kept.end(),
                                     [&](const Value& v) { return v.identity() == type.function; });
      out.function = static_cast<int>(kept - out_.kept.begin());
      break;
    }
    case Form::closure: out.function = template_number(type.code); [[fallthrough]];
    case Form::complex:
    case Form::vector:
    case Form::record:
    case Form::tuple:
      for (const int v : item_variables(r, type.count)) put(v);
      break;
    case Form::slice: put_description(variables(r), type.axes); break;
    case Form::view:
      if (const auto& root = type_at(type.root); root.form == Form::slice) {
        out.type = root;
        put_description(variables_[static_cast<std::size_t>(type.root)], root.axes);
      }
      break;
    case Form::span:
      put(variables(r).extents[0]);
      put(variables(r).strides[0]);
      break;
    default: break;
  }
  return out;
}

void Lowering::write_exits() {
  for (std::size_t k = 0; k < exits_.size(); ++k) {
    place_label(exits_[k].label);
    state_ = exits_[k].state;
    Exit made;
    int next = 0;
    const auto& live = flow().live[exits_[k].at];
    for (int r = 0; r < f().frame_size; ++r) {
      if (!mentioned_[static_cast<std::size_t>(r)] || !live.contains(r)) continue;
      if (const auto saved = save(r, next)) {
        made.saved.push_back(*saved);
        next = saved->first + values_of(saved->type);
      }
    }
    out_.most_saved = std::max(out_.most_saved, next);
    out_.exits.push_back(std::move(made));
    emit({.what = Do::save, .p = static_cast<int>(k)});
    emit({.what = Do::leave, .x = exit_code_});
  }
  exits_.clear();
}

}  // namespace quill::native
