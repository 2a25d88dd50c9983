// Interpretation of unquoted fields. Quoted fields are always texts; the writer uses the same functions to
// decide which texts need quotes.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace quill {

// Rules for one file.
struct FieldRules {
  bool decimal_comma = false;
  std::vector<std::string> missing = {"NA", "n/a", "-"};  // beside the empty field
  std::vector<double> missing_numbers;                    // the same by value, however they are written
  std::string dates;                                      // format of times besides ISO 8601; "" for none
  // Adds fields that mean a missing value; numbers also match by value.
  void add_missing(const std::vector<std::string>& fields);
};

bool is_missing(std::string_view field, const FieldRules& rules);
// Its number, nan if missing; nothing if it is not a number.
std::optional<double> number_in(std::string_view field, const FieldRules& rules);
// Its time, in ISO 8601 or the format of the rules; nothing if it is not a time.
std::optional<double> time_in(std::string_view field, const FieldRules& rules);
// `true` or `false`, in any case; nothing for other fields.
std::optional<bool> boolean_in(std::string_view field);
bool is_plain_text(std::string_view field, const FieldRules& rules);

}  // namespace quill
