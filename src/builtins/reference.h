// The reference manual, made from the registry.
#pragma once

#include <map>
#include <string>

namespace quill {

// File names below docs/reference and their Markdown: a page for each family of built-ins, one on element
// types, and a list of all.
std::map<std::string, std::string> reference_pages();

}  // namespace quill
