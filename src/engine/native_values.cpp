// Converts variables of native code to values.
#include <bit>

#include "engine/elements.h"
#include "engine/native_run.h"
#include "value/construct.h"

namespace quill {

namespace {

Value items_of(const native::Type& type, const double* numbers) {
  const auto vector = [&](Index size) {
    return Value::array(Array::of<double>({size}, std::span(numbers, static_cast<std::size_t>(size))));
  };
  if (type.form == native::Form::vector) return vector(type.count);
  std::vector<Value> made;
  for (auto left = type.parts; left != 0; left >>= 5) {
    const int size = native::part_size(left);
    made.push_back(size == 1 ? Value(*numbers) : vector(size - 1));
    numbers += size == 1 ? 1 : size - 1;
  }
  if (type.form == native::Form::tuple) return Value::tuple(std::move(made));
  std::vector<std::pair<std::string, Value>> fields;
  for (std::size_t k = 0; k < made.size(); ++k) fields.emplace_back((*type.names)[k], std::move(made[k]));
  return Value::record(std::move(fields));
}

}  // namespace

Value closure_of(const std::shared_ptr<const Function>& code, const std::int64_t* captured) {
  auto* const object = new FunctionObject(code, *code);
  Value made(Kind::function, object);
  for (std::size_t k = 0; k < code->captures.size(); ++k)
    object->captured.emplace_back(std::bit_cast<double>(captured[k]));
  object->depth = depth_inside(object->captured);
  return made;
}

void store_saved(const native::Type& type, const std::int64_t* values, Value& target, Value* base) {
  const auto* const numbers = static_cast<const double*>(static_cast<const void*>(values));
  switch (type.form) {
    case native::Form::number: target.set_number(*numbers); return;
    case native::Form::whole: target.set_number(static_cast<double>(*values)); return;
    case native::Form::boolean: target.set_boolean(*values != 0); return;
    case native::Form::single: set_single_integer(target, type.element, *values); return;
    case native::Form::real32: {
      const auto number = static_cast<float>(*numbers);
      target = Value::array(Array::of<float>({}, std::span(&number, 1)));
      return;
    }
    case native::Form::complex: {
      const Complex z(numbers[0], numbers[1]);
      target = Value::array(Array::of<Complex>({}, std::span(&z, 1)));
      return;
    }
    case native::Form::vector:
    case native::Form::record:
    case native::Form::tuple: target = items_of(type, numbers); return;
    case native::Form::slice: store_slice(target, base[type.root].array(), type.axes, values); return;
    case native::Form::view: target = base[type.root]; return;
    case native::Form::span: {
      const Value first(static_cast<double>(values[0])), last(static_cast<double>(values[1]));
      target = make_range(first, last, nullptr, false);
      return;
    }
    case native::Form::all: target = Value::open(Open::everything); return;
    default: return;
  }
}

}  // namespace quill
