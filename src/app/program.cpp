#include "app/program.h"

#include <sys/resource.h>
#include <unistd.h>

#include <fmt/format.h>

#include <algorithm>
#include <clocale>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <new>
#include <optional>

#include "app/commands.h"
#include "app/config.h"
#include "app/lines.h"
#include "app/options.h"
#include "app/progress_line.h"
#include "app/sweeping.h"
#include "base/interrupt.h"
#include "base/left_work.h"
#include "base/memory.h"
#include "base/parallel.h"
#include "engine/hot.h"

namespace quill {

namespace {

int run_command(RealHost& host, TextOutput& output, const CommandLine& line) try {
  // Only at a terminal.
  std::optional<ProgressLine> progress;
  const char* terminal = std::getenv("TERM");
  if (isatty(STDERR_FILENO) && !line.quiet && terminal && std::string_view(terminal) != "dumb")
    progress.emplace(host);
  return line.command->run(host, output, line);
} catch (const Error& error) {
  output.message(describe(error));
  return 1;
}

int run(int count, const char* const* arguments, const ProgramOptions& options) {
  if (count == 3 && arguments[1] == std::string_view(kWorkerCommand)) return serve_study(arguments[2]);
  RealHost host;
  auto line = parse_command_line(count, arguments);
  std::string wrong_config;
  if (line.command) try {
      read_config(host, line);
    } catch (const Error& error) { wrong_config = describe(error); }
  const bool is_coloured = line.color == "always" || (line.color != "never" && RealHost::wants_color());
  TextOutput output(host, {line.quiet, is_coloured});
  if (!wrong_config.empty()) {
    output.message(wrong_config);
    return 2;
  }
  if (!line.command) {
    host.print(line.printed);
    output.message(line.message);
    return line.status;
  }
  if (options.only_studies && line.command->run != sweep_script) {
    output.message(
        "error: this program runs parameter studies only: eager-quill-mpi sweep SCRIPT --vary …\n");
    return 2;
  }
  line.study.crew = options.crew;
  line.study.runs_on = options.runs_on;
  if (line.threads > 0) set_thread_count(line.threads);
  if (!line.native) default_native_use() = NativeUse::off;
  if (line.memory > 0) set_memory_ceiling(line.memory);
  const int status = run_command(host, output, line);
  const auto failure = host.flush();
  if (failure.empty()) return status;
  output.message(fmt::format("error: not all output could be written: {}\n", failure));
  return std::max(status, 1);
}

// The first Ctrl-C requests a stop; a second one before that takes effect ends the program.
void on_interrupt(int signal) {
  if (!request_interrupt() || is_reading_line()) return;
  std::signal(signal, SIG_DFL);
  std::raise(signal);
}

}  // namespace

}  // namespace quill

namespace {

// Below this limit the linear algebra library hangs while it is loaded, and the font library crashes. So the
// limit is checked before any other code of the program runs.
__attribute__((constructor(101))) void refuse_little_memory() {
  constexpr rlim_t least = rlim_t{512} << 20;
  rlimit limit{};
  if (getrlimit(RLIMIT_AS, &limit) != 0 || limit.rlim_cur >= least) return;
  constexpr char text[] =
      "error: the memory limit is too small: the program needs 512 MB of address space\n  hint: ulimit -v "
      "unlimited\n";
  // No other part of the program is initialised yet.
  if (write(STDERR_FILENO, text, sizeof text - 1) < 0) _exit(1);
  _exit(1);
}

}  // namespace

namespace quill {

int run_program(int count, char** arguments, const ProgramOptions& options) {
  std::setlocale(LC_CTYPE, "C.UTF-8");
  // Arrays beyond it are errors, before the machine runs out of memory.
  set_memory_ceiling(usual_memory_ceiling());
  std::signal(SIGINT, on_interrupt);
  // A closed pipe or a file size limit becomes a write error instead of ending the program.
  std::signal(SIGPIPE, SIG_IGN);
  std::signal(SIGXFSZ, SIG_IGN);
  int status = 1;
  try {
    status = run(count, arguments, options);
  } catch (const Error& error) {
    std::fputs(describe(error).c_str(), stderr);
  } catch (const std::bad_alloc&) {
    std::fputs("error: out of memory\n", stderr);
  } catch (const std::exception&) { std::fputs("error: internal error\n", stderr); }
  if (has_left_work()) {
    // Abandoned work still uses what destructors would free.
    std::fflush(nullptr);
    _exit(status);
  }
  return status;
}

}  // namespace quill
