#include "session/build_facts.h"

#include <fmt/format.h>
#include <gnu/libc-version.h>
#include <sys/utsname.h>
#include <unistd.h>

#include <filesystem>

#include "base/parallel.h"
#include "numerics/libraries.h"
#include "render/render.h"

namespace quill {

void describe_build(Record& record) {
  record.version = QUILL_VERSION;
#if defined(__clang__)
  record.build = fmt::format("Clang {}", __clang_version__);
#else
  record.build = fmt::format("GCC {}", __VERSION__);
#endif
  record.libraries = {{"C library", gnu_get_libc_version()}};
  for (auto* libraries : {&numerics_libraries, &render_libraries})
    for (auto& library : libraries()) record.libraries.push_back(std::move(library));
  // Elementary functions, products and transforms choose their code by these.
  record.processor.clear();
#if defined(__x86_64__)
  __builtin_cpu_init();
  if (__builtin_cpu_supports("sse4.2")) record.processor.emplace_back("sse4.2");
  if (__builtin_cpu_supports("avx2")) record.processor.emplace_back("avx2");
  if (__builtin_cpu_supports("fma")) record.processor.emplace_back("fma");
  if (__builtin_cpu_supports("avx512f")) record.processor.emplace_back("avx512f");
#endif
  auto& around = record.environment;
  struct utsname system {};
  if (::uname(&system) == 0)
    around.machine =
        fmt::format("{} {} {} {}", system.nodename, system.sysname, system.release, system.machine);
  around.threads = thread_count();
  std::error_code error;
  around.folder = std::filesystem::current_path(error).string();
}

}  // namespace quill
