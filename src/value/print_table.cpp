// Nested values, and tables.
#include <fmt/format.h>

#include <algorithm>

#include "array/index.h"
#include "base/text.h"
#include "value/construct.h"
#include "value/print_cells.h"

namespace quill {

namespace {

constexpr Index kFew = 6;  // elements shown without abbreviation

Array chosen(const Array& a, const std::vector<Index>& indices) {
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(indices.size()), indices}};
  return select(a, s);
}

// "[1, 2, 3 … 9, 10]"
std::string ends_of(const Array& a, int digits) {
  const auto shown = shown_of(a.size(), kFew);
  const auto part = chosen(a, shown.indices);
  std::vector<double> numbers;
  collect_numbers(part, numbers);
  const auto cells = cells_of(part, NumberStyle{digits, -1});
  std::string out;
  for (std::size_t k = 0; k < cells.size(); ++k) {
    out += k == 0 ? "" : shown.gap_after > 0 && k == shown.gap_after ? " … " : ", ";
    out += cells[k].text;
  }
  return fmt::format("[{}]", out);
}

}  // namespace

std::string short_form(const Value& value, int digits) {
  constexpr std::size_t most = 60;
  switch (value.kind()) {
    case Kind::number: return with_digits(value.number(), digits);
    case Kind::boolean:
    case Kind::none: return inline_text(value);
    case Kind::text: return shortened_in_middle(in_quotes(value.text()), most);
    case Kind::array: {
      const auto& a = value.array();
      if (a.axes() == 0)
        return is_time(value) || is_integer(a.type()) ? inline_text(value)
                                                      : layout(value, {.digits = digits});
      if (a.axes() == 1 && a.size() <= kFew) return ends_of(a, digits);
      if (a.axes() == 1 && a.type() != ElementType::any) {
        const auto ends = ends_of(a, digits);
        if (display_width(ends) <= most) return fmt::format("{} : {}", ends, type_and_shape(a));
      }
      break;
    }
    case Kind::tuple: {
      const auto& items = value.object<TupleObject>().items;
      if (items.size() > 4) break;
      std::string out;
      for (const auto& item : items) out += (out.empty() ? "" : ", ") + short_form(item, digits);
      return fmt::format("({}{})", out, items.size() == 1 ? "," : "");
    }
    default: break;
  }
  return card_contents(value);
}

bool is_shown_as_table(const Value& value) {
  return value.is(Kind::record) && value.object<RecordObject>().fields.size() > 1 && table_length(value);
}

namespace {

// Cells, widths and head of a printed column.
struct PrintedColumn {
  std::string name, unit;
  std::vector<Cell> cells;
  ColumnWidth width;
  bool left = false;

  std::size_t columns() const {
    return std::max({width.before + width.behind, display_width(name), display_width(unit)});
  }
  std::string head(const std::string& text) const {
    return left ? pad_right(text, columns()) : pad_left(text, columns());
  }
  std::string cell(std::size_t k) const {
    const auto text = cells[k].padded(width.before, width.behind);
    return left ? pad_right(text, columns()) : pad_left(text, columns());
  }
};

PrintedColumn printed(const std::string& name, const Value& column, const Shown& shown, int digits) {
  const auto whole = to_array(column);
  const auto a = chosen(whole, shown.indices);
  const bool times = holds_times(a);
  PrintedColumn out;
  out.name = printable(name);
  if (whole.label && !whole.label->unit.empty() && !times) out.unit = fmt::format("({})", whole.label->unit);
  std::vector<double> numbers;
  collect_numbers(a, numbers);
  out.cells = cells_of(a, NumberStyle::for_block(numbers, digits));
  out.left = times || a.type() == ElementType::text || a.type() == ElementType::any;
  constexpr std::size_t most = 40;
  for (auto& cell : out.cells) {
    // Texts of a column need no quotes.
    if (a.type() == ElementType::text)
      cell.text = shortened_in_middle(std::string_view(cell.text).substr(1, cell.text.size() - 2), most);
    out.width.add(cell);
  }
  return out;
}

}  // namespace

std::vector<TableColumn> table_columns(const RecordObject& table, Index rows, int digits) {
  Shown first;
  const auto length = shape_of(table.fields[0].second)[0];
  for (Index k = 0; k < std::min(rows, length); ++k) first.indices.push_back(k);
  std::vector<TableColumn> out;
  for (const auto& [name, column] : table.fields) {
    auto cells = printed(name, column, first, digits);
    TableColumn made{cells.name, cells.unit, cells.left, {}};
    for (const auto& cell : cells.cells)
      made.cells.push_back(cells.left ? cell.text : cell.padded(cells.width.before, cells.width.behind));
    out.push_back(std::move(made));
  }
  return out;
}

std::vector<std::string> table_lines(const RecordObject& table, Index rows, const PrintOptions& options) {
  const auto shown = shown_of(shape_of(table.fields[0].second)[0], rows);
  std::vector<PrintedColumn> columns;
  for (const auto& [name, column] : table.fields)
    columns.push_back(printed(name, column, shown, options.digits));
  std::vector<std::string> lines;
  // Columns that do not fit are continued below.
  for (std::size_t first = 0; first < columns.size();) {
    std::size_t end = first, width = 0;
    while (end < columns.size() && (end == first || width + kColumnGap + columns[end].columns() <=
                                                        static_cast<std::size_t>(options.width)))
      width += kColumnGap + columns[end++].columns();
    if (first > 0) lines.emplace_back();
    const auto line = [&](auto text_of_column) {
      std::string out;
      for (auto c = first; c < end; ++c) out += std::string(kColumnGap, ' ') + text_of_column(columns[c]);
      out.erase(out.find_last_not_of(' ') + 1);
      lines.push_back(std::move(out));
    };
    line([](const PrintedColumn& c) { return c.head(c.name); });
    if (std::any_of(columns.begin() + static_cast<std::ptrdiff_t>(first),
                    columns.begin() + static_cast<std::ptrdiff_t>(end),
                    [](const PrintedColumn& c) { return !c.unit.empty(); }))
      line([](const PrintedColumn& c) { return c.head(c.unit); });
    for (std::size_t k = 0; k < shown.indices.size(); ++k) {
      if (shown.gap_after > 0 && k == shown.gap_after) lines.emplace_back("  …");
      line([&](const PrintedColumn& c) { return c.cell(k); });
    }
    first = end;
  }
  return lines;
}

std::optional<Value> table_of_records(const Array& list) {
  if (list.axes() != 1 || list.size() < 2 || list.size() > 100000) return std::nullopt;
  std::vector<Value> records;
  for (const auto& element : list.to_vector<Any>()) {
    records.push_back(element_value(element));
    if (!records.back().is(Kind::record)) return std::nullopt;
    const auto &first = records[0].object<RecordObject>().fields,
               &here = records.back().object<RecordObject>().fields;
    if (here.empty() || !std::equal(first.begin(), first.end(), here.begin(), here.end(),
                                    [](const auto& a, const auto& b) { return a.first == b.first; }))
      return std::nullopt;
  }
  return columns_of(records);
}

}  // namespace quill
