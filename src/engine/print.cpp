#include "engine/print.h"

#include <fmt/args.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/index.h"
#include "array/reduce.h"
#include "base/text.h"
#include "engine/program.h"
#include "engine/registry.h"

namespace quill {

namespace {

// One number as shown: the text, and where its decimal point is for the alignment of a column.
struct Cell {
  std::string text;
  std::size_t before = 0;  // width before the point
  bool left = false;       // texts stand at the left
  bool right = false;      // nan and inf at the right, whatever their length

  std::size_t behind() const { return left || right ? 0 : display_width(text) - before; }
  std::string padded(std::size_t column_before, std::size_t column_behind) const {
    const auto width = column_before + column_behind;
    if (left) return pad_right(text, width);
    if (right) return pad_left(text, width);
    return pad_right(std::string(column_before - before, ' ') + text, width);
  }
};

// The widths of a column before and behind its decimal points.
struct ColumnWidth {
  std::size_t before = 0, behind = 0;
  void add(const Cell& cell) {
    if (cell.left || cell.right) {
      const auto width = display_width(cell.text);
      if (width > before + behind) before = width - behind;
      return;
    }
    before = std::max(before, cell.before);
    behind = std::max(behind, cell.behind());
  }
};

Cell cell_of(std::string text) {
  Cell c{std::move(text), 0, false, false};
  if (c.text.find_first_of("0123456789") == std::string::npos && c.text != "true" && c.text != "false") {
    c.right = true;
    return c;
  }
  const auto e = c.text.find_first_of(".e");
  const auto last_digit = c.text.find_last_of("0123456789");
  c.before = e != std::string::npos && last_digit != std::string::npos
                 ? display_width(std::string_view(c.text).substr(0, e))
                 : display_width(c.text);
  return c;
}

std::string complex_text(Complex z, const std::string& re, const std::string& im_size) {
  const bool negative = std::signbit(z.imag()) && !std::isnan(z.imag());
  return fmt::format("{} {} {}i", re, negative ? "-" : "+", im_size);
}

// Numbers of one block get the same count of decimals: as many as the smallest of ordinary size needs for
// its significant digits, bounded by those of the largest.
struct NumberStyle {
  int digits = 5;
  int decimals = -1;  // -1: each for itself

  static NumberStyle for_block(const std::vector<double>& values, int digits) {
    NumberStyle style{digits, -1};
    double largest = 0;
    bool all_whole = true;
    for (const double v : values) {
      if (!std::isfinite(v)) continue;
      largest = std::max(largest, std::fabs(v));
      all_whole = all_whole && is_whole(v) && std::fabs(v) < 1e15;
    }
    if (all_whole) {
      style.decimals = 0;
      return style;
    }
    if (largest == 0) return style;
    const int exponent = static_cast<int>(std::floor(std::log10(largest)));
    if (exponent >= digits || exponent < -3) return style;
    // The digits of the largest decide; they are dropped where no number needs them.
    int decimals = std::max(0, digits - 1 - exponent);
    const double smallest_shown = std::pow(10.0, -decimals);
    for (const double v : values)
      if (std::isfinite(v) && v != 0 && std::fabs(v) < smallest_shown * 10)
        return style;  // too different in size
    const auto needs = [&](int d) {
      return std::any_of(values.begin(), values.end(), [&](double v) {
        if (!std::isfinite(v)) return false;
        return fmt::format("{:.{}f}", v, decimals)
                       .substr(0, fmt::format("{:.{}f}", v, decimals).size() -
                                      static_cast<std::size_t>(decimals - d)) !=
                   fmt::format("{:.{}f}", v, d) ||
               std::fabs(std::stod(fmt::format("{:.{}f}", v, d)) -
                         std::stod(fmt::format("{:.{}f}", v, decimals))) > 0;
      });
    };
    while (decimals > 0 && !needs(decimals - 1)) --decimals;
    style.decimals = decimals;
    return style;
  }

  std::string text(double v) const {
    if (!std::isfinite(v)) return shortest(v);
    if (decimals >= 0) {
      auto out = fmt::format("{:.{}f}", v, decimals);
      if (v == 0 && out.starts_with('-')) out.erase(0, 1);
      return out;
    }
    return with_digits(v, digits);
  }
};

void collect_numbers(const Array& a, std::vector<double>& into) {
  if (a.type() == ElementType::float64)
    for (const double v : a.to_vector<double>()) into.push_back(v);
  if (a.type() == ElementType::complex128)
    for (const auto z : a.to_vector<Complex>()) {
      into.push_back(z.real());
      into.push_back(z.imag());
    }
}

std::string short_form(const Value& value);

std::vector<Cell> cells_of(const Array& a, const NumberStyle& style) {
  std::vector<Cell> out;
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    for (const auto& v : a.to_vector<T>()) {
      if constexpr (std::is_same_v<T, double>)
        out.push_back(cell_of(style.text(v)));
      else if constexpr (std::is_same_v<T, bool>)
        out.push_back(cell_of(v ? "true" : "false"));
      else if constexpr (std::is_same_v<T, Complex>) {
        auto cell = cell_of(style.text(v.real()));
        cell.text = complex_text(v, cell.text, style.text(std::fabs(v.imag())));
        out.push_back(cell);
      } else if constexpr (std::is_same_v<T, std::string>)
        out.push_back({fmt::format("\"{}\"", printable(v)), 0, true, false});
      else
        out.push_back({short_form(element_value(v)), 0, true, false});
    }
  });
  return out;
}

// The rows and columns that are shown when there are too many, with a gap after the first half.
struct Shown {
  std::vector<Index> places;
  std::size_t gap_after = 0;  // 0: everything is shown
};

Shown shown_of(Index count, Index most) {
  Shown s;
  if (count <= most) {
    for (Index i = 0; i < count; ++i) s.places.push_back(i);
    return s;
  }
  const Index half = most / 2;
  for (Index i = 0; i < half; ++i) s.places.push_back(i);
  for (Index i = count - half; i < count; ++i) s.places.push_back(i);
  s.gap_after = static_cast<std::size_t>(half);
  return s;
}

Array pick_rows(const Array& a, const std::vector<Index>& rows, const std::vector<Index>& columns) {
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(rows.size()), rows},
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(columns.size()), columns}};
  return select(a, s);
}

constexpr std::size_t kColumnGap = 2;

// A table of cells; each column aligned at its decimal points.
std::vector<std::string> aligned_rows(const std::vector<Cell>& cells, std::size_t rows, std::size_t columns,
                                      std::size_t row_gap, std::size_t column_gap) {
  std::vector<std::string> lines(rows);
  for (std::size_t c = 0; c < columns; ++c) {
    ColumnWidth width;
    for (std::size_t r = 0; r < rows; ++r) width.add(cells[r * columns + c]);
    for (std::size_t r = 0; r < rows; ++r) {
      const auto& cell = cells[r * columns + c];
      auto& line = lines[r];
      line += std::string(kColumnGap, ' ');
      if (c > 0 && c == column_gap) line += "…" + std::string(kColumnGap, ' ');
      line += cell.padded(width.before, width.behind);
    }
  }
  for (auto& line : lines) line.erase(line.find_last_not_of(' ') + 1);
  if (row_gap > 0) lines.insert(lines.begin() + static_cast<std::ptrdiff_t>(row_gap), "  …");
  return lines;
}

constexpr Index kMostRows = 16;

std::vector<std::string> matrix_lines(const Array& a, const PrintOptions& options, const NumberStyle& style) {
  const auto rows = shown_of(a.extent(0), kMostRows);
  // As many columns as fit, found by trying fewer and fewer.
  for (Index most = std::min<Index>(a.extent(1), 64); most >= 1; most = most > 8 ? most - 2 : most - 1) {
    const auto columns = shown_of(a.extent(1), most % 2 && most < a.extent(1) && most > 1 ? most - 1 : most);
    const auto part = pick_rows(a, rows.places, columns.places);
    auto lines = aligned_rows(cells_of(part, style), rows.places.size(), columns.places.size(),
                              rows.gap_after, columns.gap_after);
    const auto widest = std::max_element(lines.begin(), lines.end(), [](const auto& x, const auto& y) {
      return display_width(x) < display_width(y);
    });
    if (most <= 2 || display_width(*widest) <= static_cast<std::size_t>(options.width)) return lines;
  }
  return {};
}

std::vector<std::string> vector_lines(const Array& a, const PrintOptions& options, const NumberStyle& style) {
  const auto width = static_cast<std::size_t>(options.width);
  const auto places = shown_of(a.size(), 100);
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(places.places.size()), places.places}};
  auto cells = cells_of(select(a, s), style);
  // All cells equally wide, so that several lines stand in columns.
  ColumnWidth column;
  for (const auto& cell : cells) column.add(cell);
  const auto cell_width = column.before + column.behind + kColumnGap;
  const auto per_line = std::max<std::size_t>(1, width / std::max<std::size_t>(cell_width, 1));
  std::vector<std::string> lines(1);
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (i > 0 && i % per_line == 0) lines.emplace_back();
    auto& line = lines.back();
    line += std::string(kColumnGap, ' ');
    if (places.gap_after > 0 && i == places.gap_after) line += "… ";
    line += cells[i].padded(column.before, column.behind);
  }
  constexpr std::size_t most_lines = 8;
  if (lines.size() > most_lines) {
    lines.erase(lines.begin() + most_lines / 2, lines.end() - most_lines / 2);
    lines.insert(lines.begin() + most_lines / 2, "  …");
  }
  for (auto& line : lines) line.erase(line.find_last_not_of(' ') + 1);
  return lines;
}

std::vector<std::string> array_lines(const Array& a, const PrintOptions& options) {
  std::vector<double> numbers;
  const bool small = a.size() <= 4000;
  if (small) collect_numbers(a, numbers);
  if (a.size() == 0) return {fmt::format("  (empty, {} {})", name_of(a.type()), text_of(a.shape()))};
  if (a.axes() == 1)
    return vector_lines(
        a, options,
        small ? NumberStyle::for_block(numbers, options.digits) : NumberStyle{options.digits, -1});
  if (a.axes() == 2) {
    if (!small) {
      const auto rows = shown_of(a.extent(0), kMostRows), columns = shown_of(a.extent(1), 64);
      collect_numbers(pick_rows(a, rows.places, columns.places), numbers);
    }
    return matrix_lines(a, options, NumberStyle::for_block(numbers, options.digits));
  }
  std::vector<std::string> lines;
  Index count = 1;
  for (int i = 0; i + 2 < a.axes(); ++i) count *= a.extent(i);
  const auto style =
      small ? NumberStyle::for_block(numbers, options.digits) : NumberStyle{options.digits, -1};
  const auto shown = shown_of(count, 6);
  for (std::size_t k = 0; k < shown.places.size(); ++k) {
    if (shown.gap_after > 0 && k == shown.gap_after) lines.emplace_back("…");
    std::vector<Subscript> s;
    std::string header = "[";
    Index left = shown.places[k];
    std::vector<Index> at(static_cast<std::size_t>(a.axes() - 2));
    for (int i = a.axes() - 3; i >= 0; --i) {
      at[static_cast<std::size_t>(i)] = left % a.extent(i);
      left /= a.extent(i);
    }
    for (const auto p : at) {
      s.push_back({Subscript::Kind::position, p, 1, 1, {}});
      header += fmt::format("{}, ", p + 1);
    }
    s.push_back({Subscript::Kind::rest, 0, 1, 0, {}});
    lines.push_back(header + ".., ..]");
    for (auto& line : matrix_lines(select(a, s), options, style)) lines.push_back(std::move(line));
  }
  return lines;
}

// A value inside of something else: small things whole, arrays by type and shape.
std::string short_form(const Value& value) {
  switch (value.kind()) {
    case Kind::number:
    case Kind::truth:
    case Kind::none: return inline_text(value);
    case Kind::text: return fmt::format("\"{}\"", printable(value.text()));
    case Kind::array:
      if (value.array().axes() <= 1 && value.array().size() <= 6) return inline_text(value);
      break;
    case Kind::tuple:
      if (value.object<TupleObject>().items.size() <= 4) return inline_text(value);
      break;
    default: break;
  }
  return card_contents(value);
}

std::vector<std::string> named_lines(const std::vector<std::pair<std::string, Value>>& fields) {
  std::vector<std::string> lines;
  std::size_t width = 0;
  for (const auto& [name, value] : fields) width = std::max(width, display_width(name));
  for (const auto& [name, value] : fields) {
    auto contents = short_form(value);
    if (value.is(Kind::array) && value.array().label && !value.array().label->unit.empty())
      contents += fmt::format(" ({})", value.array().label->unit);
    lines.push_back(fmt::format("  {}  {}", pad_right(name, width), contents));
  }
  return lines;
}

std::vector<std::string> lines_of(const Value& value, const PrintOptions& options) {
  switch (value.kind()) {
    case Kind::text: return {value.text()};
    case Kind::number: return {with_digits(value.number(), options.digits)};
    case Kind::array:
      if (value.array().axes() == 0) {
        const auto z = value.array().to_vector<Complex>()[0];
        return {complex_text(z, with_digits(z.real(), options.digits),
                             with_digits(std::fabs(z.imag()), options.digits))};
      }
      return array_lines(value.array(), options);
    case Kind::range: {
      const auto& r = value.object<RangeObject>();
      if (r.count <= 200) return array_lines(r.to_array(), options);
      return {fmt::format("  {} … {}", with_digits(r.first, options.digits),
                          with_digits(r.at(r.count - 1), options.digits))};
    }
    case Kind::record: return named_lines(value.object<RecordObject>().fields);
    case Kind::dictionary: {
      std::vector<std::pair<std::string, Value>> fields;
      for (const auto& [key, v] : value.object<DictionaryObject>().entries)
        fields.emplace_back(short_form(key), v);
      if (fields.empty()) return {"  {}"};
      return named_lines(fields);
    }
    case Kind::native: return {value.object<NativeObject>().describe()};
    default: return {inline_text(value)};
  }
}

}  // namespace

std::string layout(const Value& value, const PrintOptions& options) {
  return fmt::format("{}", fmt::join(lines_of(value, options), "\n"));
}

namespace {

std::string joined(std::span<const Value> items) {
  std::string out;
  for (const auto& item : items) {
    if (!out.empty()) out += ", ";
    out += item.is(Kind::text) ? fmt::format("\"{}\"", item.text()) : inline_text(item);
  }
  return out;
}

template <class T>
std::string element_text(const T& v) {
  if constexpr (std::is_same_v<T, double>)
    return shortest(v);
  else if constexpr (std::is_same_v<T, bool>)
    return v ? "true" : "false";
  else if constexpr (std::is_same_v<T, Complex>)
    return complex_text(v, shortest(v.real()), shortest(std::fabs(v.imag())));
  else if constexpr (std::is_same_v<T, std::string>)
    return fmt::format("\"{}\"", v);
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
    case Kind::number: return shortest(value.number());
    case Kind::truth: return value.truth() ? "true" : "false";
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
      const auto& f = *value.object<FunctionObject>().function;
      return fmt::format("{}{}({})", f.name == "fn" ? "" : "fn ", f.name, fmt::join(f.parameters, ", "));
    }
    case Kind::builtin: return fmt::format("built-in {}", value.object<BuiltinObject>().row->name);
    case Kind::native: return value.object<NativeObject>().describe();
  }
  return "";
}

std::string formatted(const Value& value, const std::string& specification) {
  if (specification.empty()) return inline_text(value);
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
          fail(fmt::format("the format `{}` takes a whole number, not {}", specification, shortest(x)),
               "round(x) makes it whole; {x:.0f} shows it without decimals");
        return fmt::format(fmt::runtime(pattern), x == 0 ? 0.0 : x);
      }
      case Kind::truth: return fmt::format(fmt::runtime(pattern), value.truth());
      case Kind::text: return fmt::format(fmt::runtime(pattern), value.text());
      case Kind::range: return formatted(Value::array(value.object<RangeObject>().to_array()), specification);
      case Kind::array: {
        const auto& a = value.array();
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
         "{x:.2f} two decimals, {x:.3g} three digits, {x:8.1f} eight wide, {n:d} a whole number");
  }
}

namespace {

std::string number_range(const Array& a) {
  if (a.size() == 0 || a.type() != ElementType::float64) return {};
  double low = INFINITY, high = -INFINITY;
  Index nans = 0;
  for (const double v : a.to_vector<double>()) {
    if (std::isnan(v)) {
      ++nans;
      continue;
    }
    low = std::min(low, v);
    high = std::max(high, v);
  }
  std::string out;
  if (low <= high)
    out = low == high ? fmt::format(", all {}", with_digits(low, 5))
                      : fmt::format(", {} … {}", with_digits(low, 5), with_digits(high, 5));
  if (nans > 0) out += fmt::format(", {} nan", nans);
  return out;
}

}  // namespace

std::string card_contents(const Value& value) {
  switch (value.kind()) {
    case Kind::array: {
      const auto& a = value.array();
      if (a.axes() == 0) return fmt::format("{} {}", name_of(a.type()), layout(value));
      if (a.axes() == 1 && a.size() > 0 && a.size() <= 6 && a.type() != ElementType::any)
        return fmt::format(
            "{}, {}", type_and_shape(a),
            inline_array(a, is_numeric(a.type()) && a.type() == ElementType::float64 ? ".5g" : ""));
      if (a.type() == ElementType::boolean) {
        const auto trues = *reduce(Reduction::sum, a).data<double>();
        return fmt::format("{}, {} true", type_and_shape(a), shortest(trues));
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
    case Kind::truth: return fmt::format("{} {}", type_name(value), layout(value));
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
      for (const auto& [name, field] : value.object<RecordObject>().fields) names.push_back(name);
      const auto count = names.size();
      if (names.size() > 6) names.resize(6);
      return fmt::format("record of {}: {}{}", count, fmt::join(names, ", "),
                         count > names.size() ? ", …" : "");
    }
    case Kind::store: return card_contents(plain_value(value));
    case Kind::alias:
      return fmt::format("alias of {}, {}", value.object<AliasObject>().store->owner,
                         card_contents(plain_value(value)));
    case Kind::dictionary:
      return fmt::format("dictionary of {}", value.object<DictionaryObject>().entries.size());
    case Kind::function:
      return fmt::format("function ({})",
                         fmt::join(value.object<FunctionObject>().function->parameters, ", "));
    default: return inline_text(value);
  }
}

std::string card(const std::string& name, const Value& value) {
  return fmt::format("{} : {}", name, card_contents(value));
}

std::string labelled(const std::string& label, const Value& value, const PrintOptions& options) {
  // A text stands in quotes here, so that it is not taken for a name or a number.
  const bool short_text = value.is(Kind::text) && value.text().find('\n') == std::string::npos;
  const auto body = short_text ? fmt::format("\"{}\"", printable(value.text())) : layout(value, options);
  const bool has_shape = (value.is(Kind::array) && value.array().axes() > 0) || value.is(Kind::range) ||
                         value.is(Kind::record) || value.is(Kind::dictionary);
  const auto first_line = label.substr(0, label.find('\n'));
  const auto shown = first_line.size() < label.size() ? first_line + " …" : first_line;
  if (!has_shape && body.find('\n') == std::string::npos &&
      display_width(shown) + 3 + display_width(body) <= static_cast<std::size_t>(options.width))
    return fmt::format("{} = {}", shown, body);
  if (!has_shape) return fmt::format("{} =\n{}", shown, body);
  return fmt::format("{} : {}\n{}", shown,
                     value.is(Kind::array) ? type_and_shape(value.array()) : card_contents(value), body);
}

}  // namespace quill
