// Writes tables. Tested by csv_test.cpp.
#include "files/csv.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/interrupt.h"
#include "base/number.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/csv_fields.h"

namespace quill {

namespace {

std::string quoted_if_needed(const std::string& text) {
  static const FieldRules usual;
  const bool plain = text.find_first_of(",;\t\"\r\n#") == std::string::npos && trim(text) == text &&
                     is_plain_text(text, usual) && !text.starts_with("\xEF\xBB\xBF");
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
