// What the command line is described by elsewhere: made from the tables of commands and options.
#pragma once

#include <string>

namespace quill {

// For man, in section 1.
std::string manual_page();
// For bash-completion, and for zsh's.
std::string bash_completion();
std::string zsh_completion();

}  // namespace quill
