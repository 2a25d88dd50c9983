// Lines typed at the terminal.
#pragma once

#include <optional>
#include <string>

namespace quill {

bool on_terminal();
// Whether somebody is typing a line; asked by the handler of signals.
bool is_reading_line();
// A line with Readline's editing; nothing at the end of input. `interrupted` reports that Ctrl-C dropped it.
std::optional<std::string> read_terminal_line(const std::string& prompt, bool& interrupted);

}  // namespace quill
