// Values in one line: as text, by a format, on a card.
#include "value/print.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/index.h"
#include "array/reduce.h"
#include "array/strided.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "base/time_text.h"
#include "value/construct.h"
#include "value/registry.h"

namespace quill {

std::string complex_text(Complex z, const std::string& re, const std::string& im_size) {
  const bool negative = std::signbit(z.imag()) && !std::isnan(z.imag());
  return fmt::format("{} {} {}i", re, negative ? "-" : "+", im_size);
}

namespace {

std::string joined(std::span<const Value> items) {
  std::string out;
  for (const auto& item : items) {
    poll_interrupt();
    if (!out.empty()) out += ", ";
    out += item.is(Kind::text) ? in_quotes(item.text()) : inline_text(item);
  }
  return out;
}

template <class T>
std::string element_text(const T& v) {
  if constexpr (std::is_same_v<T, double>)
    return shortest(v);
  else if constexpr (std::is_same_v<T, float>)
    return shortest_single(v);
  else if constexpr (std::is_same_v<T, bool>)
    return v ? "true" : "false";
  else if constexpr (std::is_same_v<T, Complex>)
    return complex_text(v, shortest(v.real()), shortest(std::fabs(v.imag())));
  else if constexpr (std::is_same_v<T, std::string>)
    return in_quotes(v);
  else if constexpr (std::is_integral_v<T>)
    return fmt::format("{}", v);
  else
    return joined(std::span(&static_cast<const Value&>(element_value(v)), 1));
}

constexpr Index kMostInline = 1000;

std::string inline_array(const Array& a, const std::string& specification);

std::string nested(const Array& a, const std::string& specification) {
  std::string out;
  for (Index k = 0; k < a.extent(0); ++k) {
    const std::vector<Subscript> s = {{Subscript::Kind::position, k, 1, 1, {}},
                                      {Subscript::Kind::rest, 0, 1, 0, {}}};
    out += fmt::format("{}{}", k ? (a.axes() == 2 ? " | " : " || ") : "",
                       inline_array(select(a, s), specification));
  }
  return out;
}

std::string inline_array(const Array& a, const std::string& specification) {
  if (a.axes() >= 2) return nested(a, specification);
  std::vector<std::string> items;
  if (specification.empty() && holds_times(a)) {
    for (const double t : a.to_vector<double>()) items.push_back(time_text(t));
    return fmt::format("{}", fmt::join(items, ", "));
  }
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    for (const auto& v : a.to_vector<T>()) {
      if (specification.empty())
        items.push_back(element_text<T>(v));
      else if constexpr (std::is_same_v<T, Any>)
        items.push_back(formatted(element_value(v), specification));
      else
        items.push_back(formatted(Value::array(Array::filled<T>({}, v)), specification));
    }
  });
  return fmt::format("{}", fmt::join(items, ", "));
}

}  // namespace

std::string inline_text(const Value& value) {
  switch (value.kind()) {
    case Kind::unset: return "unset";
    case Kind::none: return "none";
    case Kind::open:
      return value.is_open(Open::everything) ? ".." : value.is_open(Open::rest) ? "..." : "new";
    case Kind::number: return shortest(value.number());
    case Kind::boolean: return value.boolean() ? "true" : "false";
    case Kind::text: return value.text();
    case Kind::range: {
      const auto& r = value.object<RangeObject>();
      if (r.count <= kMostInline) return fmt::format("[{}]", inline_array(r.to_array(), ""));
      return fmt::format("{}..{}{}", shortest(r.first), shortest(r.at(r.count - 1)),
                         r.step == 1 ? "" : fmt::format(" count {}", r.count));
    }
    case Kind::array: {
      const auto& a = value.array();
      if (a.axes() == 0) return inline_array(a.with_shape({1}), "");
      if (a.size() > kMostInline) return type_and_shape(a);
      return fmt::format("[{}]", inline_array(a, ""));
    }
    case Kind::tuple:
      return fmt::format("({}{})", joined(value.object<TupleObject>().items),
                         value.object<TupleObject>().items.size() == 1 ? "," : "");
    case Kind::record: {
      std::string out;
      for (const auto& [name, field] : value.object<RecordObject>().fields)
        out += fmt::format("{}{}: {}", out.empty() ? "" : ", ", name, joined(std::span(&field, 1)));
      return fmt::format("({})", out);
    }
    case Kind::dictionary: {
      std::string out;
      for (const auto& [key, v] : value.object<DictionaryObject>().entries)
        out += fmt::format("{}{}: {}", out.empty() ? "" : ", ", joined(std::span(&key, 1)),
                           joined(std::span(&v, 1)));
      return fmt::format("{{{}}}", out);
    }
    case Kind::store:
    case Kind::alias: return inline_text(plain_value(value));
    case Kind::function: {
      const auto& f = value.object<FunctionObject>().head;
      return fmt::format("{}{}({})", f.name == "fn" ? "" : "fn ", f.name, fmt::join(f.parameters, ", "));
    }
    case Kind::builtin: return fmt::format("built-in {}", value.object<BuiltinObject>().row->name);
    case Kind::library:
      if (const auto number = value.object<LibraryObject>().numeric()) return inline_text(*number);
      return value.object<LibraryObject>().describe();
  }
  return "";
}

std::string formatted(const Value& value, const std::string& specification) {
  if (specification.empty()) return inline_text(value);
  if (const auto number = numeric_value(value); number.kind() != value.kind())
    return formatted(number, specification);
  const auto whole = [&](double x) {
    const char kind = specification.back();
    return std::string_view("dbBoxXc").find(kind) != std::string_view::npos && is_whole(x) &&
           std::fabs(x) < 9e18;
  };
  try {
    const auto pattern = "{:" + specification + "}";
    if (specification.find_first_of("{}") != std::string::npos) throw fmt::format_error("braces");
    switch (value.kind()) {
      case Kind::number: {
        const double x = value.number();
        if (whole(x)) return fmt::format(fmt::runtime(pattern), static_cast<long long>(x));
        if (std::string_view("dbBoxXc").find(specification.back()) != std::string_view::npos)
          fail(fmt::format("the format `{}` requires an integer, not {}", specification, shortest(x)),
               "round(x) rounds it; {x:.0f} shows no decimals");
        // The signs of nan and 0 carry no information.
        return fmt::format(fmt::runtime(pattern), x == 0 ? 0.0 : std::isnan(x) ? std::fabs(x) : x);
      }
      case Kind::boolean: return fmt::format(fmt::runtime(pattern), value.boolean());
      case Kind::text: return fmt::format(fmt::runtime(pattern), value.text());
      case Kind::range: return formatted(Value::array(value.object<RangeObject>().to_array()), specification);
      case Kind::array: {
        const auto& a = value.array();
        if (a.axes() == 0 && is_integer(a.type())) {
          const auto n = *a.converted(ElementType::int64).data<std::int64_t>();
          if (whole(0)) return fmt::format(fmt::runtime(pattern), n);
          return formatted(Value(static_cast<double>(n)), specification);
        }
        if (const auto x = single_real(value)) return formatted(Value(*x), specification);
        if (a.axes() == 0) {
          const auto z = a.to_vector<Complex>()[0];
          return complex_text(z, fmt::format(fmt::runtime(pattern), z.real()),
                              fmt::format(fmt::runtime(pattern), std::fabs(z.imag())));
        }
        return fmt::format("[{}]", inline_array(a, specification));
      }
      default: return fmt::format(fmt::runtime(pattern), inline_text(value));
    }
  } catch (const fmt::format_error&) {
    fail(fmt::format("`{}` is not a format for {}", specification, kind_in_words(value)),
         "{x:.2f} two decimals, {x:.3g} three significant digits, {x:8.1f} width eight, {n:d} an integer");
  }
}

namespace {

std::string number_range(const Array& a) {
  if (a.size() == 0 || !(is_real(a.type()) || is_integer(a.type()))) return {};
  double low = INFINITY, high = -INFINITY;
  Index nans = 0;
  visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    if constexpr (!std::is_same_v<T, Complex>)
      for_each_run<1>(a.shape(), {a.strides()}, [&](const auto& at, const auto& step, Index n) {
        const T* from = a.data<T>() + at[0];
        for (Index i = 0; i < n; ++i) {
          const auto v = static_cast<double>(from[i * step[0]]);
          nans += std::isnan(v);
          low = v < low ? v : low;
          high = v > high ? v : high;
        }
      });
  });
  std::string out;
  const auto end = [&](double v) { return holds_times(a) ? time_text(v) : with_digits(v, 5); };
  if (low <= high)
    out = low == high ? fmt::format(", all {}", end(low)) : fmt::format(", {} … {}", end(low), end(high));
  if (nans > 0) out += fmt::format(", {} nan", nans);
  return out;
}

}  // namespace

std::string card_contents(const Value& value) {
  switch (value.kind()) {
    case Kind::array: {
      const auto& a = value.array();
      if (a.axes() == 0)
        return fmt::format("{} {}", holds_times(a) ? "time" : name_of(a.type()), layout(value));
      if (const auto records = records_in(value)) {
        std::vector<std::string> names;
        for (const auto& [name, field] : (*records)[0].object<RecordObject>().fields)
          names.push_back(printable(name));
        constexpr std::size_t most = 6;
        const bool is_cut = names.size() > most;
        if (is_cut) names.resize(most);
        return fmt::format("{} record{}: {}{}", records->size(), records->size() == 1 ? "" : "s",
                           fmt::join(names, ", "), is_cut ? ", …" : "");
      }
      // Timestamps as dates; two of them show the range.
      const bool is_short = a.axes() == 1 && a.size() > 0 && a.size() <= 6 && !holds_times(a);
      if (is_short && a.type() != ElementType::any)
        return fmt::format("{}, {}", type_and_shape(a), inline_array(a, is_real(a.type()) ? ".5g" : ""));
      if (a.type() == ElementType::boolean) {
        const auto trues = *reduce(Reduction::sum, a).data<std::int64_t>();
        return fmt::format("{}, {} true", type_and_shape(a), trues);
      }
      return type_and_shape(a) + number_range(a);
    }
    case Kind::range: {
      const auto& r = value.object<RangeObject>();
      if (r.count == 0) return "range of 0";
      return fmt::format("range of {}, {} … {}{}", r.count, with_digits(r.first, 5),
                         with_digits(r.at(r.count - 1), 5),
                         r.count > 1 && r.step != 1 ? fmt::format(" by {}", with_digits(r.step, 5)) : "");
    }
    case Kind::number:
    case Kind::boolean: return fmt::format("{} {}", type_name(value), layout(value));
    case Kind::text: {
      const auto& t = value.text();
      const bool long_text = count_characters(t) > 50;
      return fmt::format("text \"{}{}\"",
                         printable(t.substr(0, start_of_character(t, long_text ? 47 : t.size()))),
                         long_text ? "…" : "");
    }
    case Kind::tuple: return fmt::format("tuple of {}", value.object<TupleObject>().items.size());
    case Kind::record: {
      std::vector<std::string> names;
      const bool is_table = is_shown_as_table(value);
      const Index length = is_table ? table_length(value).value_or(0) : 0;
      // The columns of a table with their types.
      for (const auto& [name, field] : value.object<RecordObject>().fields)
        names.push_back(!is_table ? printable(name)
                        : is_time(field)
                            ? printable(name) + " time"
                            : fmt::format("{} {}", printable(name), name_of(element_type_of(field))));
      const auto count = names.size();
      if (names.size() > 6) names.resize(6);
      return fmt::format("{}: {}{}",
                         is_table ? fmt::format("table of {} row{}", length, length == 1 ? "" : "s")
                                  : fmt::format("record of {}", count),
                         fmt::join(names, ", "), count > names.size() ? ", …" : "");
    }
    case Kind::store: return card_contents(plain_value(value));
    case Kind::alias:
      return fmt::format("alias of {}, {}", value.object<AliasObject>().store->owner,
                         card_contents(plain_value(value)));
    case Kind::dictionary:
      return fmt::format("dictionary of {}", value.object<DictionaryObject>().entries.size());
    case Kind::library: {
      const auto& native = value.object<LibraryObject>();
      return (native.numeric() ? native.type_name() + " " : "") + native.describe();
    }
    case Kind::function: {
      const auto& head = value.object<FunctionObject>().head;
      const auto about = head.prose.substr(0, head.prose.find('\n'));
      return fmt::format("function ({}){}", fmt::join(head.parameters, ", "),
                         about.empty() ? "" : " — " + shortened(about, 60));
    }
    default: return inline_text(value);
  }
}

std::string card(const std::string& name, const Value& value) {
  const bool is_single = value.is(Kind::number) || value.is(Kind::boolean) ||
                         (value.is(Kind::array) && value.array().axes() == 0 &&
                          is_numeric(value.array().type()) && !holds_times(value.array()));
  if (is_single) return fmt::format("{} = {}", name, layout(value));
  return fmt::format("{} : {}", name, card_contents(value));
}

std::string labelled(const std::string& label, const Value& value, const PrintOptions& options) {
  if (value.is(Kind::store)) return labelled(label, plain_value(value), options);
  // Texts are quoted to distinguish them from names and numbers.
  const bool short_text = value.is(Kind::text) && value.text().find('\n') == std::string::npos;
  const auto body = short_text ? in_quotes(value.text()) : layout(value, options);
  const bool has_shape = value.is(Kind::alias) || (value.is(Kind::array) && value.array().axes() > 0) ||
                         value.is(Kind::range) || value.is(Kind::record) || value.is(Kind::dictionary);
  const auto first_line = label.substr(0, label.find('\n'));
  const auto shown = first_line.size() < label.size() ? first_line + " …" : first_line;
  if (!has_shape && body.find('\n') == std::string::npos &&
      display_width(shown) + 3 + display_width(body) <= static_cast<std::size_t>(options.width))
    return fmt::format("{} = {}", shown, body);
  // Long labels are shortened in favour of type and shape.
  constexpr std::size_t least = 10;
  const auto width = static_cast<std::size_t>(options.width);
  const auto within = [&](std::size_t used) {
    return shortened(shown, std::max(least, width > used ? width - used : 0));
  };
  if (!has_shape) return fmt::format("{} =\n{}", within(2), body);
  const auto contents =
      value.is(Kind::array) && !records_in(value) ? type_and_shape(value.array()) : card_contents(value);
  const auto header = fmt::format("{} : {}", within(display_width(contents) + 3), contents);
  return fmt::format("{}\n{}", shortened(header, std::max(width, std::size_t{40})), body);
}

}  // namespace quill
