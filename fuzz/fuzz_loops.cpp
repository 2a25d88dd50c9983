// Bytes choose a program with loops, which has to give the same with native code from the first iteration on
// as without.
#include <cstdint>
#include <cstdio>
#include <cstdlib>

#include "app/text_output.h"
#include "engine/hot.h"
#include "session/session.h"
#include "support/loop_programs.h"
#include "value/print.h"

namespace {

std::string outcome_of(const std::string& program, quill::NativeUse use) {
  quill::MemoryHost host;
  quill::TextOutput output(host);
  quill::SessionOptions options;
  options.native = use;
  quill::Session session(host, output, options);
  session.run("fuzz", program);
  const auto* const result = session.find("result");
  return host.printed + host.messages + (result ? quill::inline_text(*result) : "no result");
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  // Each program is compiled once or more, which takes some milliseconds.
  constexpr std::size_t most = 400;
  if (size > most) return 0;
  const auto program = quill::test::LoopPrograms(std::vector<std::uint8_t>(data, data + size)).program();
  const auto wanted = outcome_of(program, quill::NativeUse::off);
  const auto got = outcome_of(program, quill::NativeUse::at_once);
  if (got == wanted) return 0;
  std::fprintf(stderr, "%s\nwith native code:\n%s\nwithout:\n%s\n", program.c_str(), got.c_str(),
               wanted.c_str());
  std::abort();
}
