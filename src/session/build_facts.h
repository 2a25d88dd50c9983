// What the program was built with and runs on, as far as results may depend on it.
#pragma once

#include "session/record.h"

namespace quill {

// Fills in version, build, libraries, processor, machine and threads.
void describe_build(Record& record);

}  // namespace quill
