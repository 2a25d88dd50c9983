// Any text is run, in memory, with little memory and few steps; it may fail, but only with an Error.
#include <cstdint>

#include "app/text_output.h"
#include "array/buffer.h"
#include "base/interrupt.h"
#include "session/session.h"

namespace {

// What is reported is made into text and dropped. Loops are stopped: every printed value raises the flag
// after a while.
class ShortHost : public quill::MemoryHost {
 public:
  void print(std::string_view) override {
    if (++prints_ > 100) quill::request_interrupt();
  }
  void message(std::string_view) override {}

 private:
  int prints_ = 0;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  // Endless loops say nothing about robustness.
  if (text.find("while") != std::string::npos) return 0;
  quill::set_memory_ceiling(quill::memory_use().bytes_now + (1 << 22));
  quill::clear_interrupt();
  {
    ShortHost host;
    quill::TextOutput output(host);
    quill::Session session(host, output, {});
    session.run("fuzz", text);
  }
  quill::set_memory_ceiling(0);
  return 0;
}
