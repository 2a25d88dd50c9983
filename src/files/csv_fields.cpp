#include "files/csv_fields.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>

#include "base/number.h"
#include "base/text.h"
#include "base/time_format.h"
#include "base/time_text.h"

namespace quill {

namespace {

std::optional<double> number_as_written(std::string_view field, bool decimal_comma) {
  if (!decimal_comma || std::count(field.begin(), field.end(), ',') != 1) return parse_number(field);
  std::string with_point(field);
  std::replace(with_point.begin(), with_point.end(), ',', '.');
  return parse_number(with_point);
}

bool is_among(double number, const std::vector<double>& numbers) {
  return std::find(numbers.begin(), numbers.end(), number) != numbers.end();
}

}  // namespace

void FieldRules::add_missing(const std::vector<std::string>& fields) {
  for (const auto& field : fields) {
    missing.push_back(field);
    if (const auto number = number_as_written(field, decimal_comma)) missing_numbers.push_back(*number);
  }
}

bool is_missing(std::string_view field, const FieldRules& rules) {
  if (field.empty() || std::find(rules.missing.begin(), rules.missing.end(), field) != rules.missing.end())
    return true;
  if (rules.missing_numbers.empty()) return false;
  const auto number = number_as_written(field, rules.decimal_comma);
  return number && is_among(*number, rules.missing_numbers);
}

std::optional<double> number_in(std::string_view field, const FieldRules& rules) {
  if (is_missing(field, rules)) return std::numeric_limits<double>::quiet_NaN();
  return number_as_written(field, rules.decimal_comma);
}

std::optional<double> time_in(std::string_view field, const FieldRules& rules) {
  if (const auto time = parse_time(field)) return time;
  return rules.dates.empty() ? std::nullopt : parse_time_as(field, rules.dates);
}

std::optional<bool> boolean_in(std::string_view field) {
  for (const auto* yes : {"true", "True", "TRUE"})
    if (field == yes) return true;
  for (const auto* no : {"false", "False", "FALSE"})
    if (field == no) return false;
  return std::nullopt;
}

bool is_plain_text(std::string_view field, const FieldRules& rules) {
  return !number_in(field, rules) && !time_in(field, rules);
}

}  // namespace quill
