#include "files/json_text.h"

#include <fmt/format.h>

namespace quill {

nlohmann::ordered_json parsed_json(std::string_view text,
                                   const nlohmann::ordered_json::parser_callback_t& pick) {
  return nlohmann::ordered_json::parse(text, pick);
}

std::string json_fault(const std::exception& error) {
  using Json = nlohmann::ordered_json;
  if (const auto* syntax = dynamic_cast<const Json::parse_error*>(&error))
    return fmt::format("it is not valid JSON at byte {}", syntax->byte);
  if (dynamic_cast<const Json::out_of_range*>(&error)) return "a part of it is missing";
  if (dynamic_cast<const Json::type_error*>(&error)) return "a part of it has the wrong type";
  return "a part of it is invalid";
}

}  // namespace quill
