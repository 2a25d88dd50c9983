// What is set once for all runs, in a file.
#pragma once

#include <string>

#include "app/options.h"

namespace quill {

// Sets what the file of settings says and the command line does not. The file is that of --config, or
// eager-quill/config below the folder of settings of the XDG base directory rules, which need not be there.
// Error that names the file when it cannot be read or says what nobody understands.
void read_config(Host& host, CommandLine& line);

}  // namespace quill
