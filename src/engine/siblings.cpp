#include "engine/siblings.h"

#include <fmt/format.h>

#include "base/error.h"

namespace quill {

void Siblings::define(std::size_t k, std::shared_ptr<const Function> function, std::vector<Value> captured) {
  if (members_.size() <= k) members_.resize(k + 1);
  members_[k] = {std::move(function), std::move(captured)};
}

Value Siblings::made(std::size_t k, const std::string& name) const {
  if (k >= members_.size() || !members_[k].function)
    fail(fmt::format("`{}` has no value yet: it is defined later in the block", name));
  const auto& member = members_[k];
  auto* object = new FunctionObject(member.function, *member.function);
  Value out(Kind::function, object);
  object->captured = member.captured;
  for (std::size_t c = 0; c < object->captured.size(); ++c) {
    const auto& binding = member.function->captures[c];
    if (binding.kind == Binding::Kind::sibling)
      object->captured[c] = Value(Kind::library, new Sibling(this, static_cast<std::size_t>(binding.index),
                                                             member.function->captured_names[c]));
  }
  object->depth = depth_inside(object->captured);
  return out;
}

}  // namespace quill
