#include "files/csv.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

#include "base/interrupt.h"
#include "base/number.h"
#include "base/text.h"
#include "base/time_text.h"

namespace quill {

namespace {

struct Field {
  std::string text;
  bool quoted = false;
  int line = 1;
  int column = 1;
};
using Row = std::vector<Field>;

class Reader {
 public:
  Reader(std::string_view text, const std::string& name) : text_(text), name_(name) {
    if (text_.starts_with("\xEF\xBB\xBF")) text_.remove_prefix(3);
    if (const auto bad = find_malformed(text_); bad != std::string_view::npos) {
      const auto before = text_.substr(0, bad);
      const auto line = 1 + std::count(before.begin(), before.end(), '\n');
      fail(fmt::format("{}, line {}: this byte is not UTF-8 text", name_, line), "save the file in UTF-8");
    }
    delimiter_ = find_delimiter();
  }

  std::vector<Row> rows() {
    std::vector<Row> out;
    while (at_ < text_.size()) {
      poll_interrupt_at(out.size());
      if (skip_blank_or_comment()) continue;
      out.push_back(row());
    }
    return out;
  }

  char delimiter() const { return delimiter_; }

 private:
  // The delimiter that stands most often in the first line that is not a comment.
  char find_delimiter() const {
    std::size_t from = 0;
    while (from < text_.size()) {
      const auto end = std::min(text_.find('\n', from), text_.size());
      const auto line = text_.substr(from, end - from);
      from = end + 1;
      if (trim(line).empty() || trim(line).front() == '#') continue;
      char best = ',';
      std::ptrdiff_t most = 0;
      for (const char candidate : {',', ';', '\t'}) {
        std::ptrdiff_t count = 0;
        bool quoted = false;
        for (const char c : line) {
          quoted = c == '"' ? !quoted : quoted;
          count += !quoted && c == candidate;
        }
        if (count > most) {
          most = count;
          best = candidate;
        }
      }
      return best;
    }
    return ',';
  }

  [[noreturn]] void fail_here(const std::string& message) {
    fail(fmt::format("{}, line {}, column {}: {}", name_, line_, at_ - line_begin_ + 1, message));
  }

  void end_line() {
    if (at_ < text_.size() && text_[at_] == '\r') ++at_;
    if (at_ < text_.size() && text_[at_] == '\n') ++at_;
    ++line_;
    line_begin_ = at_;
  }

  bool skip_blank_or_comment() {
    const auto end = std::min(text_.find_first_of("\r\n", at_), text_.size());
    const auto line = trim(text_.substr(at_, end - at_));
    const bool tabs_only = delimiter_ == '\t' && end > at_;
    if (!(line.empty() && !tabs_only) && !line.starts_with('#')) return false;
    at_ = end;
    end_line();
    return true;
  }

  Row row() {
    Row out;
    while (true) {
      out.push_back(field());
      if (at_ < text_.size() && text_[at_] == delimiter_) {
        ++at_;
        continue;
      }
      if (at_ < text_.size() && text_[at_] != '\n' && text_[at_] != '\r')
        fail_here("after a closing quote comes a delimiter or the end of the line");
      end_line();
      return out;
    }
  }

  Field field() {
    Field f;
    f.line = line_;
    while (at_ < text_.size() && text_[at_] == ' ') ++at_;
    f.column = static_cast<int>(at_ - line_begin_) + 1;
    if (at_ < text_.size() && text_[at_] == '"') {
      f.quoted = true;
      ++at_;
      while (true) {
        if (at_ >= text_.size()) {
          line_ = f.line;
          fail(fmt::format("{}, line {}, column {}: this quote is not closed", name_, f.line, f.column));
        }
        const char c = text_[at_++];
        if (c == '"') {
          if (at_ >= text_.size() || text_[at_] != '"') break;
          ++at_;
        }
        if (c == '\n') {
          ++line_;
          line_begin_ = at_;
        }
        f.text += c;
      }
      while (at_ < text_.size() && text_[at_] == ' ') ++at_;
      return f;
    }
    const char stops[] = {delimiter_, '\r', '\n', '\0'};
    const auto end = std::min(text_.find_first_of(stops, at_), text_.size());
    f.text = trim(text_.substr(at_, end - at_));
    at_ = end;
    return f;
  }

  std::string_view text_;
  std::string name_;
  char delimiter_ = ',';
  std::size_t at_ = 0;
  std::size_t line_begin_ = 0;
  int line_ = 1;
};

// What a field without quotes may stand for other than a text. One in quotes is always a text; the writer
// asks the same questions to see which texts need them.

bool is_missing(std::string_view text) {
  return text.empty() || text == "NA" || text == "n/a" || text == "-";
}

std::optional<double> number_of(const std::string& text, bool decimal_comma) {
  if (is_missing(text)) return std::numeric_limits<double>::quiet_NaN();
  if (const auto value = parse_number(text)) return value;
  if (!decimal_comma || std::count(text.begin(), text.end(), ',') != 1) return std::nullopt;
  auto with_point = text;
  std::replace(with_point.begin(), with_point.end(), ',', '.');
  return parse_number(with_point);
}

bool is_plain_text(const std::string& text, bool decimal_comma) {
  return !number_of(text, decimal_comma) && !parse_time(text);
}

// "depth (m)" and "depth [m]" as name and unit.
Label label_of(const std::string& header) {
  for (const auto& [open, close] : {std::pair{'(', ')'}, std::pair{'[', ']'}}) {
    if (header.empty() || header.back() != close) continue;
    const auto at = header.rfind(open);
    if (at == std::string::npos || at == 0) continue;
    return {std::string(trim(std::string_view(header).substr(0, at))),
            std::string(trim(std::string_view(header).substr(at + 1, header.size() - at - 2)))};
  }
  return {header, ""};
}

// Points in time, when all that is there is one; then the label says so.
std::optional<Array> column_of_times(const std::vector<Row>& rows, std::size_t first, std::size_t column) {
  std::vector<double> times;
  bool found = false;
  for (auto r = first; r < rows.size(); ++r) {
    const auto& field = rows[r][column];
    poll_interrupt_at(r);
    const auto time = field.quoted ? std::nullopt : parse_time(field.text);
    if (!time && (field.quoted || !is_missing(field.text))) return std::nullopt;
    found = found || time;
    times.push_back(time.value_or(std::numeric_limits<double>::quiet_NaN()));
  }
  if (!found) return std::nullopt;
  return Array::vector(times);
}

Array column_values(const std::vector<Row>& rows, std::size_t first, std::size_t column, bool decimal_comma) {
  std::vector<double> numbers;
  for (auto r = first; r < rows.size(); ++r) {
    poll_interrupt_at(r);
    const auto& field = rows[r][column];
    const auto value = field.quoted ? std::nullopt : number_of(field.text, decimal_comma);
    if (!value) {
      std::vector<std::string> texts;
      for (auto k = first; k < rows.size(); ++k) {
        poll_interrupt_at(k);
        texts.push_back(rows[k][column].text);
      }
      return Array::vector(texts);
    }
    numbers.push_back(*value);
  }
  return Array::vector(numbers);
}

}  // namespace

std::vector<Column> read_csv(std::string_view text, const std::string& name) {
  Reader reader(text, name);
  const auto rows = reader.rows();
  if (rows.empty()) fail(fmt::format("{} holds no table: there are no lines in it", name));
  const bool decimal_comma = reader.delimiter() == ';';
  const auto width = rows[0].size();
  for (const auto& row : rows)
    if (row.size() != width)
      fail(fmt::format("{}, line {}: {} fields, and the first line has {}", name, row[0].line, row.size(),
                       width),
           "a field with the delimiter in it stands in quotes");
  const bool header = std::any_of(rows[0].begin(), rows[0].end(), [&](const Field& f) {
    return f.quoted || is_plain_text(f.text, decimal_comma);
  });
  std::vector<Column> out;
  std::set<std::string> names;
  for (std::size_t c = 0; c < width; ++c) {
    auto label = header ? label_of(rows[0][c].text) : Label{};
    if (label.name.empty()) label.name = fmt::format("column{}", c + 1);
    auto field = label.name;
    for (int k = 2; !names.insert(field).second; ++k) field = fmt::format("{}_{}", label.name, k);
    const std::size_t first = header ? 1 : 0;
    auto times = column_of_times(rows, first, c);
    if (times) label.unit = kTimeUnit;
    Column column{field, times ? std::move(*times) : column_values(rows, first, c, decimal_comma)};
    column.values.label = std::make_shared<Label>(label);
    out.push_back(std::move(column));
  }
  return out;
}

namespace {

std::string quoted_if_needed(const std::string& text) {
  const bool plain = text.find_first_of(",;\t\"\r\n#") == std::string::npos && trim(text) == text &&
                     is_plain_text(text, false) && !text.starts_with("\xEF\xBB\xBF");
  if (plain) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

// `missing` stands for a time that is none.
std::vector<std::string> texts_of(const Array& a, const char* missing) {
  std::vector<std::string> out;
  out.reserve(static_cast<std::size_t>(a.size()));
  if (holds_times(a)) {
    for (const double t : a.to_vector<double>()) {
      poll_interrupt_at(out.size());
      out.push_back(std::isnan(t) ? missing : time_text(t));
    }
    return out;
  }
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    for (const auto& v : a.to_vector<T>()) {
      poll_interrupt_at(out.size());
      if constexpr (std::is_same_v<T, double>)
        out.push_back(shortest(v));
      else if constexpr (std::is_same_v<T, float>)
        out.push_back(shortest_single(v));
      else if constexpr (std::is_same_v<T, bool>)
        out.push_back(v ? "1" : "0");
      else if constexpr (std::is_integral_v<T>)
        out.push_back(fmt::format("{}", v));
      else if constexpr (std::is_same_v<T, std::string>)
        out.push_back(quoted_if_needed(v));
      else
        fail(fmt::format("elements of type {} do not go into CSV", name_of(type_of<T>)),
             std::is_same_v<T, Complex> ? "save real(z) and imag(z) as two columns" : "");
    }
  });
  return out;
}

}  // namespace

std::string write_csv(std::span<const Column> columns) {
  std::string out;
  std::vector<std::vector<std::string>> texts;
  for (const auto& column : columns) {
    if (column.values.axes() != 1)
      fail(fmt::format("the column `{}` is not a vector but an array of shape {}", column.name,
                       text_of(column.values.shape())));
    if (column.values.size() != columns[0].values.size())
      fail(fmt::format("the columns `{}` and `{}` have different lengths: {} and {}", columns[0].name,
                       column.name, columns[0].values.size(), column.values.size()));
    // A line with nothing on it would be passed over.
    texts.push_back(texts_of(column.values, columns.size() == 1 ? "NA" : ""));
    const auto& label = column.values.label;
    const auto header = label && !label->unit.empty() && !holds_times(column.values)
                            ? fmt::format("{} ({})", column.name, label->unit)
                            : column.name;
    out += (texts.size() > 1 ? "," : "") + quoted_if_needed(header);
  }
  out += '\n';
  for (std::size_t r = 0; !texts.empty() && r < texts[0].size(); ++r) {
    poll_interrupt_at(r);
    for (std::size_t c = 0; c < texts.size(); ++c) out += (c ? "," : "") + texts[c][r];
    out += '\n';
  }
  return out;
}

std::string write_csv(const Array& array) {
  if (array.axes() > 2)
    fail(fmt::format("CSV holds vectors and matrices, not arrays of shape {}", text_of(array.shape())));
  const auto texts = texts_of(array, "NA");
  const auto width = array.axes() == 2 ? static_cast<std::size_t>(array.extent(1)) : 1;
  std::string out;
  // The first row of texts would be read as names.
  if (array.type() == ElementType::text)
    for (std::size_t c = 1; c <= width; ++c) out += fmt::format("column{}{}", c, c == width ? '\n' : ',');
  for (std::size_t k = 0; k < texts.size(); ++k) {
    out += texts[k];
    out += (k + 1) % std::max<std::size_t>(width, 1) == 0 ? '\n' : ',';
  }
  return out;
}

}  // namespace quill
