#include "base/interrupt.h"

#include "base/error.h"

namespace quill {

void stop_interrupted() {
  clear_interrupt();
  Error error("stopped");
  error.kind = Error::Kind::interrupted;
  throw error;
}

}  // namespace quill
