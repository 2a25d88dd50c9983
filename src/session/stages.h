// Intermediate stages of a script as text, from tokens to the layout of its figures.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/host.h"
#include "value/event.h"

namespace quill {

// "tokens", "tree", "effects", "program", "figure"
std::vector<std::string> stage_names();

// Text of one stage. The stage "figure" runs the script without writing files. Nothing if the script has
// errors, which are reported.
std::optional<std::string> text_of_stage(const std::string& stage, const std::string& path,
                                         const std::string& text, Host& host, Output& output);

}  // namespace quill
