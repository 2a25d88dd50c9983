// Reading of JSON by its library, compiled once for all.
#pragma once

#include <exception>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace quill {

// The value of a text. `pick`, if given, sees each value that ends and says whether it is kept. Throws an
// exception of the library.
nlohmann::ordered_json parsed_json(std::string_view text,
                                   const nlohmann::ordered_json::parser_callback_t& pick = nullptr);
// What an exception of the library means, for an error message: "it is not valid JSON at byte 12".
std::string json_fault(const std::exception& error);

}  // namespace quill
