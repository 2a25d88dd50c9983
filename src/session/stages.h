// The stages on the way from a text to its figures, as texts.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/host.h"
#include "value/event.h"

namespace quill {

// "tokens", "tree", "effects", "program", "figure"
std::vector<std::string> stage_names();

// A stage of a script; its figures are laid out by running it, without writing a file. Nothing when the text
// has errors, which are reported.
std::optional<std::string> text_of_stage(const std::string& stage, const std::string& path,
                                         const std::string& text, Host& host, Output& output);

}  // namespace quill
