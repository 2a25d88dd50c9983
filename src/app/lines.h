// Lines typed at the terminal.
#pragma once

#include <optional>
#include <string>

namespace quill {

bool on_terminal();
// Whether a line is being edited; called by signal handlers.
bool is_reading_line();
// A line edited with Readline; nothing at the end of input. `interrupted`: Ctrl-C discarded the line.
std::optional<std::string> read_terminal_line(const std::string& prompt, bool& interrupted);

}  // namespace quill
