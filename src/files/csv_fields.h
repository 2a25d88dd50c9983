// What a field without quotes may stand for other than a text. One in quotes is always a text; the writer
// asks the same questions to see which texts need them.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace quill {

// The rules of one file.
struct FieldRules {
  bool decimal_comma = false;
  std::vector<std::string> missing = {"NA", "n/a", "-"};  // beside the empty field
  std::vector<double> missing_numbers;                    // the same by value, however they are written
  std::string dates;                                      // the format of times beside ISO 8601; "" for none
  // Fields that stand for nothing, also by their value when they are numbers.
  void add_missing(const std::vector<std::string>& fields);
};

bool is_missing(std::string_view field, const FieldRules& rules);
// Its number, nan when it is missing; nothing when it is something else.
std::optional<double> number_in(std::string_view field, const FieldRules& rules);
// Its time, in ISO 8601 or the format of the rules; nothing when it is something else.
std::optional<double> time_in(std::string_view field, const FieldRules& rules);
// `true` or `false`, also in capitals; nothing when it is something else.
std::optional<bool> truth_in(std::string_view field);
bool is_plain_text(std::string_view field, const FieldRules& rules);

}  // namespace quill
