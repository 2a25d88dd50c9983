// The reference manual, made from the registry.
#pragma once

#include <map>
#include <string>
#include <string_view>

namespace quill {

// File names below docs/reference and their Markdown: a page for each family of built-ins, one on element
// types, and a list of all.
std::map<std::string, std::string> reference_pages();
// The name of the page of a family of built-ins.
std::string reference_page_of(std::string_view family, std::string_view extension = ".md");

}  // namespace quill
