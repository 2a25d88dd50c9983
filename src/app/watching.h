// The watch command.
#pragma once

#include "app/options.h"

namespace quill {

int watch_script(RealHost& host, TextOutput& output, const CommandLine& line);

}  // namespace quill
