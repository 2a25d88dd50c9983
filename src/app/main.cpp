#include <fmt/format.h>
#include <unistd.h>

#include <clocale>
#include <csignal>
#include <cstdio>
#include <filesystem>

#include "app/lines.h"
#include "app/options.h"
#include "app/prompt.h"
#include "app/real_host.h"
#include "array/buffer.h"
#include "base/error.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "session/session.h"

namespace quill {

namespace {

int fail_usage(Host& host, const std::string& message) {
  host.message(fmt::format("error: {}\n", message));
  return 2;
}

int run_script(RealHost& host, const CommandLine& line) {
  const auto text = host.read_file(line.subject);
  if (!text.ok()) return fail_usage(host, fmt::format("cannot read {}: {}", line.subject, text.reason));
  if (const auto why = RealHost::why_not_writable(line.out); !why.empty())
    return fail_usage(host, fmt::format("cannot write below {}: {}", line.out, why));
  SessionOptions options;
  options.out_folder = line.out;
  options.script_folder = std::filesystem::path(line.subject).parent_path().string();
  options.inputs = line.inputs;
  options.seed = line.seed;
  options.last_section = line.section;
  options.quiet = line.quiet;
  Session session(host, options);
  const bool ran = session.run(std::filesystem::path(line.subject).filename().string(), text.value) &&
                   session.check_inputs_used();
  session.tell_summary();
  return ran ? 0 : 1;
}

int evaluate(RealHost& host, const CommandLine& line) {
  Session session(host, {});
  return session.evaluate(line.subject) ? 0 : 1;
}

int help(RealHost& host, const CommandLine& line) {
  const int width = host.columns();
  if (!line.search.empty()) {
    const auto found = help_search(line.search, width);
    if (found.empty()) {
      host.message(fmt::format("error: no built-in speaks of `{}`\n", line.search));
      return 1;
    }
    host.print(found);
    return 0;
  }
  if (line.subject.empty()) {
    host.print(help_overview(width));
    return 0;
  }
  const int row = builtins().find(line.subject);
  if (row < 0) {
    std::vector<std::string> known;
    for (const auto& r : builtins().rows()) known.emplace_back(r.name);
    const auto near = nearest_name(line.subject, known);
    host.message(fmt::format("error: there is no built-in `{}`{}\n", line.subject,
                             near.empty() ? "; `help` lists them" : fmt::format("; did you mean {}?", near)));
    return 1;
  }
  host.print(help_text(builtins().row(row), width));
  return 0;
}

int run(int count, const char* const* arguments) {
  RealHost host;
  const auto line = parse_command_line(count, arguments);
  if (line.command.empty()) {
    host.print(line.printed);
    host.message(line.message);
    return line.status;
  }
  if (line.memory > 0) set_memory_ceiling(line.memory);
  if (line.command == "run") return run_script(host, line);
  if (line.command == "eval") return evaluate(host, line);
  if (line.command == "help") return help(host, line);
  if (const auto why = RealHost::why_not_writable(line.out); !why.empty())
    return fail_usage(host, fmt::format("cannot write below {}: {}", line.out, why));
  SessionOptions options;
  options.out_folder = line.out;
  options.seed = line.seed;
  options.interactive = true;
  Session session(host, options);
  return run_prompt(host, session);
}

// The first Ctrl-C asks the computation to stop; one that comes before it has done so ends the program.
void on_interrupt(int signal) {
  if (!request_interrupt() || is_reading_line()) return;
  std::signal(signal, SIG_DFL);
  std::raise(signal);
}

}  // namespace

}  // namespace quill

int main(int count, char** arguments) {
  std::setlocale(LC_CTYPE, "C.UTF-8");
  // Three quarters of the machine's memory: beyond it an array is an error, before the machine gives up.
  quill::set_memory_ceiling(static_cast<quill::Index>(sysconf(_SC_PHYS_PAGES)) * sysconf(_SC_PAGESIZE) / 4 *
                            3);
  std::signal(SIGINT, quill::on_interrupt);
  int status = 1;
  try {
    status = quill::run(count, arguments);
  } catch (const quill::Error& error) {
    std::fputs(quill::describe(error).c_str(), stderr);
  } catch (const std::exception& error) { std::fprintf(stderr, "error: %s\n", error.what()); }
  if (std::fflush(stdout) != 0) status = 1;
  return status;
}
