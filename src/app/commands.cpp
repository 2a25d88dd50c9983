// What each command does.
#include <fmt/format.h>

#include <filesystem>

#include "app/options.h"
#include "app/prompt.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "session/session.h"
#include "session/stages.h"

namespace quill {

namespace {

int fail_usage(TextOutput& output, const std::string& message) {
  output.message(fmt::format("error: {}\n", message));
  return 2;
}

int run_script(RealHost& host, TextOutput& output, const CommandLine& line) {
  const auto text = host.read_file(line.subject);
  if (!text.ok()) return fail_usage(output, fmt::format("cannot read {}: {}", line.subject, text.reason));
  if (const auto why = RealHost::why_not_writable(line.out); !why.empty())
    return fail_usage(output, fmt::format("cannot write below {}: {}", line.out, why));
  SessionOptions options;
  options.out_folder = line.out;
  options.script_folder = std::filesystem::path(line.subject).parent_path().string();
  options.inputs = line.inputs;
  options.seed = line.seed;
  options.last_section = line.section;
  Session session(host, output, options);
  const bool ran = session.run(std::filesystem::path(line.subject).filename().string(), text.value) &&
                   session.check_inputs_used();
  session.tell_summary();
  return ran ? 0 : 1;
}

int evaluate(RealHost& host, TextOutput& output, const CommandLine& line) {
  Session session(host, output, {});
  return session.evaluate(line.subject) ? 0 : 1;
}

int help(RealHost& host, TextOutput& output, const CommandLine& line) {
  const int width = host.columns();
  if (!line.search.empty()) {
    const auto found = help_search(line.search, width);
    if (found.empty()) {
      output.message(fmt::format("error: no built-in speaks of `{}`\n", line.search));
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
    auto near = std::string(builtins().named_by(line.subject));
    if (near.empty()) near = nearest_name(line.subject, known);
    output.message(
        fmt::format("error: there is no built-in `{}`{}\n", line.subject,
                    near.empty() ? "; `help` lists them" : fmt::format("; did you mean {}?", near)));
    return 1;
  }
  host.print(help_text(builtins().row(row), width));
  return 0;
}

int dump_stage(RealHost& host, TextOutput& output, const CommandLine& line) {
  const auto text = host.read_file(line.subject);
  if (!text.ok()) return fail_usage(output, fmt::format("cannot read {}: {}", line.subject, text.reason));
  const auto stage = text_of_stage(line.dump, line.subject, text.value, host, output);
  host.print(stage.value_or(""));
  return stage ? 0 : 1;
}

int prompt(RealHost& host, TextOutput& output, const CommandLine& line) {
  if (!line.dump.empty()) return dump_stage(host, output, line);
  if (!line.subject.empty()) return fail_usage(output, fmt::format("there is no command `{}`", line.subject));
  if (const auto why = RealHost::why_not_writable(line.out); !why.empty())
    return fail_usage(output, fmt::format("cannot write below {}: {}", line.out, why));
  SessionOptions options;
  options.out_folder = line.out;
  options.seed = line.seed;
  options.interactive = true;
  Session session(host, output, options);
  return run_prompt(host, output, session);
}

constexpr Command kCommands[] = {
    {"", "[options]", "the interactive prompt", "", false, prompt},
    {"run", "run SCRIPT [options]", "runs a script; prints values, writes figures and files", "script", true,
     run_script},
    {"eval", "eval 'EXPRESSION'", "evaluates an expression and prints its value", "expression", true,
     evaluate},
    {"help", "help [NAME]", "the built-ins; help --search WORD finds them by their text", "name", false,
     help},
};

}  // namespace

std::span<const Command> commands() { return kCommands; }

}  // namespace quill
