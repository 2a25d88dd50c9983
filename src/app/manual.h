// Manual page and shell completions, generated from the tables of commands and options.
#pragma once

#include <string>

namespace quill {

// In the format of man, section 1.
std::string manual_page();
// For bash-completion and zsh.
std::string bash_completion();
std::string zsh_completion();

}  // namespace quill
