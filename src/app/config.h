// The settings file.
#pragma once

#include <string>

#include "app/options.h"

namespace quill {

// Applies settings from a file that the command line does not set. The file is given by --config, or is
// eager-quill/config in the configuration folder of the XDG base directory specification, where it is
// optional. Throws Error, naming the file, if it cannot be read or contains unknown settings.
void read_config(Host& host, CommandLine& line);

}  // namespace quill
