// Generates the reference manual from the registry.
#pragma once

#include <map>
#include <string>
#include <string_view>

namespace quill {

// Markdown files below docs/reference, by name: one page for each family, one on element types, and an index.
std::map<std::string, std::string> reference_pages();
// Page of a family of built-ins.
std::string reference_page_of(std::string_view family, std::string_view extension = ".md");

}  // namespace quill
