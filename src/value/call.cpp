// Access of built-ins to their arguments.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "value/registry.h"

namespace quill {

Registry::Registry(std::vector<Builtin> rows) : rows_(std::move(rows)) {
  for (std::size_t i = 0; i < rows_.size(); ++i) sorted_.emplace_back(rows_[i].name, static_cast<int>(i));
  std::sort(sorted_.begin(), sorted_.end());
}

std::size_t Builtin::many_at() const {
  std::size_t k = 0;
  while (k < parameters.size() && !parameters[k].many) ++k;
  return k;
}

int Registry::find(std::string_view name) const {
  const auto it =
      std::lower_bound(sorted_.begin(), sorted_.end(), std::pair<std::string_view, int>(name, -1));
  return it != sorted_.end() && it->first == name ? it->second : -1;
}

std::string_view Registry::named_by(std::string_view word) const {
  for (const auto& row : rows_)
    for (std::size_t at = 0; at < row.words.size();) {
      const auto end = std::min(row.words.find(' ', at), row.words.size());
      if (row.words.substr(at, end - at) == word) return row.name;
      at = end + 1;
    }
  return {};
}

bool CallForm::some_by_name() const {
  return std::any_of(names.begin(), names.end(), [](const std::string& name) { return !name.empty(); });
}

std::string argument_message(const Builtin& row, const Parameter& parameter, const std::string& message) {
  return fmt::format("{}: `{}` {}", row.name, parameter.name, message);
}

void Call::fail_argument(std::size_t i, const std::string& message, std::string hint) const {
  Error error(argument_message(row, row.parameters[i], message), std::move(hint));
  point_at(i, error);
  throw error;
}

void Call::point_at(std::size_t i, Error& error) const {
  if (const int at = written(i); at >= 0 && node_) {
    int k = 0;
    for (const auto& kid : node_->kids)
      if (kid && kid->kind == NodeKind::argument && k++ == at) {
        error.location = runtime.location_of(node_);
        error.location.span = kid->argument_value().span;
      }
  }
}

int Call::written(std::size_t i) const {
  if (!form_) return -1;
  std::size_t position = 0;
  for (std::size_t k = 0; k < form_->names.size(); ++k) {
    const auto& name = form_->names[k];
    if (name.empty() ? position == i : name == row.parameters[i].name) return static_cast<int>(k);
    if (name.empty()) ++position;
  }
  return -1;
}

bool Call::by_position(std::size_t i) const {
  const int at = given(i) ? written(i) : -1;
  return at >= 0 && form_->names[static_cast<std::size_t>(at)].empty();
}

Value& Call::changeable_array(std::size_t i) {
  auto& value = arguments_[i];
  if (!value.is(Kind::array)) value = Value(Kind::array, new ArrayObject(array(i)));
  return value;
}

Operand Call::operand(std::size_t i, Array& hold) const {
  hold = ordered(i);
  Operand out(hold);
  const int at = written(i);
  out.literal = at >= 0 && form_->literal[static_cast<std::size_t>(at)] && is_whole(number(i));
  return out;
}

void Call::warn(std::string message, std::string hint) const {
  runtime.warn(std::move(message), std::move(hint), node_);
}

double Call::number(std::size_t i) const {
  const auto& v = arguments_[i];
  if (const auto x = single_real(v)) return *x;
  if (v.is(Kind::boolean)) return v.boolean();
  fail_argument(i, fmt::format("must be a single number, not {}", kind_in_words(v)));
}

Index Call::whole(std::size_t i) const {
  const double x = number(i);
  if (!is_whole(x)) fail_argument(i, fmt::format("must be an integer, not {}", shortest(x)));
  if (std::fabs(x) > kLargestExact)
    fail_argument(i, fmt::format("must be an integer of at most 2^53, not {}", shortest(x)));
  return static_cast<Index>(x);
}

bool Call::boolean_or(std::size_t i, bool fallback) const {
  if (!given(i)) return fallback;
  if (arguments_[i].is(Kind::boolean)) return arguments_[i].boolean();
  fail_argument(i, fmt::format("must be true or false, not {}", kind_in_words(arguments_[i])));
}

std::string Call::text(std::size_t i) const {
  if (arguments_[i].is(Kind::text)) return arguments_[i].text();
  fail_argument(i, fmt::format("must be a text, not {}", kind_in_words(arguments_[i])));
}

std::string not_among(const Parameter& parameter, std::string_view value, std::string* near) {
  std::vector<std::string> known, quoted;
  for (const auto choice : parameter.choices)
    if (!choice.empty()) {
      known.emplace_back(choice);
      quoted.push_back(fmt::format("\"{}\"", choice));
    }
  *near = nearest_name(value, known);
  if (!near->empty()) *near = fmt::format("did you mean \"{}\"?", *near);
  return fmt::format("must be {}{}, not \"{}\"", known.size() > 1 ? "one of " : "",
                     list_in_prose(quoted, "or"), value);
}

std::string Call::one_of(std::size_t i) const {
  const auto& choices = row.parameters[i].choices;
  if (!given(i)) return std::string(choices.front());
  const auto value = text(i);
  if (std::find(choices.begin(), choices.end(), value) != choices.end()) return value;
  std::string near;
  const auto message = not_among(row.parameters[i], value, &near);
  fail_argument(i, message, near);
}

Array Call::array(std::size_t i) const {
  if (!arguments_[i].is_array_like())
    fail_argument(i, fmt::format("must be an array, not {}", kind_in_words(arguments_[i])));
  return to_array(arguments_[i]);
}

LabelPtr Call::label(std::size_t i) const {
  const auto value = plain_value(arguments_[i]);
  const auto label = value.is(Kind::array) ? value.array().label : nullptr;
  return label && label->name.empty() && label->unit.empty() ? nullptr : label;
}

Array Call::numbers(std::size_t i) const {
  auto a = array(i);
  if (!is_numeric(a.type()))
    fail_argument(i, fmt::format("must contain numbers, not {}", name_of(a.type())),
                  arguments_[i].is(Kind::text) && parse_number(arguments_[i].text())
                      ? fmt::format("number(\"{}\")", arguments_[i].text())
                      : "");
  return a;
}

Array Call::ordered(std::size_t i) const {
  auto a = numbers(i);
  if (a.type() == ElementType::complex128)
    fail_argument(i, "must contain real numbers, not complex numbers", "real(z) or abs(z) makes them real");
  return a;
}

Array Call::reals(std::size_t i) const { return ordered(i).converted(ElementType::float64); }

Array Call::vector(std::size_t i) const {
  auto a = reals(i);
  if (a.axes() != 1) {
    const bool flat = a.axes() == 2 && (a.extent(0) == 1 || a.extent(1) == 1);
    fail_argument(i,
                  fmt::format("must be a vector, not {}",
                              a.axes() == 0 ? "a single number"
                                            : fmt::format("an array of shape {}", text_of(a.shape()))),
                  flat ? "flatten(m) makes it a vector" : "");
  }
  return a;
}

const Value& Call::callable(std::size_t i) const {
  if (!arguments_[i].is_callable())
    fail_argument(i, fmt::format("must be a function, not {}", kind_in_words(arguments_[i])), "fn(x) = x^2");
  return arguments_[i];
}

}  // namespace quill
