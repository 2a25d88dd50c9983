// Messages for texts that are not valid JSON.
#pragma once

#include <fmt/format.h>

#include <exception>
#include <nlohmann/json.hpp>
#include <string>

namespace quill {

inline std::string json_fault(const std::exception& error) {
  if (const auto* syntax = dynamic_cast<const nlohmann::json::parse_error*>(&error))
    return fmt::format("it is not valid JSON at byte {}", syntax->byte);
  if (dynamic_cast<const nlohmann::json::out_of_range*>(&error)) return "a part of it is missing";
  if (dynamic_cast<const nlohmann::json::type_error*>(&error)) return "a part of it has the wrong type";
  return "a part of it is invalid";
}

}  // namespace quill
