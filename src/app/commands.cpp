// Commands without a file of their own.
#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>

#include "app/browse.h"
#include "app/commands.h"
#include "app/demo.h"
#include "app/journal_file.h"
#include "app/options.h"
#include "app/prompt.h"
#include "app/redoing.h"
#include "app/reporting.h"
#include "app/session_commands.h"
#include "app/sweeping.h"
#include "app/watching.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "session/check.h"
#include "session/session.h"
#include "session/stages.h"

namespace quill {

int fail_usage(TextOutput& output, const std::string& message) {
  output.message(fmt::format("error: {}\n", message));
  return 2;
}

int fail_file(TextOutput& output, const std::string& message) {
  output.message(fmt::format("error: {}\n", message));
  return 1;
}

std::int64_t usual_memory_ceiling() {
  return std::int64_t{sysconf(_SC_PHYS_PAGES)} * sysconf(_SC_PAGESIZE) / 4 * 3;
}

SessionOptions options_of(const CommandLine& line) {
  SessionOptions options;
  options.out_folder = line.out;
  options.inputs = line.inputs;
  options.seed = line.seed;
  options.last_section = line.section;
  options.also_read = line.also_read;
  options.also_write = line.also_write;
  options.settings = line.settings;
  return options;
}

std::optional<std::string> script_text(RealHost& host, TextOutput& output, const CommandLine& line) {
  const auto text = line.subject == "-" ? RealHost::read_standard_input() : host.read_file(line.subject);
  if (!text.ok())
    fail_file(output, fmt::format("cannot read {}: {}", line.subject, text.reason));
  else if (const auto why = RealHost::why_not_writable(line.out); !why.empty())
    fail_file(output, fmt::format("cannot write below {}: {}", line.out, why));
  else
    return text.value;
  return std::nullopt;
}

namespace {

int run_script(RealHost& host, TextOutput& output, const CommandLine& line) {
  const bool is_typed = line.subject == "-";
  const auto text = script_text(host, output, line);
  if (!text) return 1;
  auto options = options_of(line);
  options.keeps = line.record ? Keeps::everything : Keeps::origins;
  options.script_path = line.subject;
  const std::filesystem::path path(line.subject);
  if (!is_typed) options.script_folder = path.parent_path().string();
  options.explains = line.explains;
  Session session(host, output, options);
  const bool ran = session.run(is_typed ? "standard input" : path.filename().string(), *text) &&
                   session.check_inputs_used();
  session.tell_summary();
  if (line.explains) {
    const auto told = session.explanation();
    host.print(told.empty()
                   ? "no array expression was evaluated, and no loop ran long enough to be compiled\n"
                   : told);
  }
  const bool recorded = !line.record || session.write_record();
  return ran && recorded ? 0 : 1;
}

int evaluate(RealHost& host, TextOutput& output, const CommandLine& line) {
  Session session(host, output, options_of(line));
  return session.evaluate(line.subject) ? 0 : 1;
}

int check_scripts(RealHost& host, TextOutput& output, const CommandLine& line) {
  std::vector<std::pair<std::string, Checked>> files;
  for (const auto& path : line.subjects) {
    const auto text = host.read_file(path);
    if (!text.ok()) return fail_file(output, fmt::format("cannot read {}: {}", path, text.reason));
    files.emplace_back(path, check_script(host, path, text.value));
  }
  bool has_errors = false;
  for (const auto& [path, checked] : files) {
    has_errors = has_errors || checked.has_errors();
    if (!line.json) host.print(text_of(checked));
  }
  if (line.json) host.print(json_of(files));
  return has_errors ? 1 : 0;
}

int help(RealHost& host, TextOutput& output, const CommandLine& line) {
  const int width = host.columns();
  if (line.lists_names) {
    for (const auto& row : builtins().rows()) host.print(std::string(row.name) + "\n");
    return 0;
  }
  if (!line.search.empty()) {
    auto words = line.search;
    for (const auto& word : line.subjects) words += " " + word;
    const auto found = help_search(words, width);
    if (found.empty()) {
      output.message(fmt::format("error: no built-in matches `{}`\n", words));
      return 1;
    }
    host.print(found);
    return 0;
  }
  if (line.browses && line.subjects.size() <= 1) return browse_help(output, line.subject);
  if (line.subject.empty()) {
    host.print(help_overview(width));
    return 0;
  }
  if (line.subjects.size() > 1) {
    output.message(fmt::format("error: help takes one name, not {}\n  hint: eager-quill help --search {}\n",
                               line.subjects.size(), fmt::join(line.subjects, " ")));
    return 2;
  }
  const auto page = help_page(line.subject, width);
  if (page.empty())
    tell_no_help(output, line.subject);
  else
    host.print(page);
  return page.empty() ? 1 : 0;
}

int dump_stage(RealHost& host, TextOutput& output, const CommandLine& line) {
  const auto text = host.read_file(line.subject);
  if (!text.ok()) return fail_file(output, fmt::format("cannot read {}: {}", line.subject, text.reason));
  const auto stage = text_of_stage(line.dump, line.subject, text.value, host, output);
  host.print(stage.value_or(""));
  return stage ? 0 : 1;
}

int prompt(RealHost& host, TextOutput& output, const CommandLine& line) {
  if (!line.dump.empty()) return dump_stage(host, output, line);
  if (!line.subject.empty()) return fail_usage(output, fmt::format("there is no command `{}`", line.subject));
  if (const auto why = RealHost::why_not_writable(line.out); !why.empty())
    return fail_file(output, fmt::format("cannot write below {}: {}", line.out, why));
  auto options = options_of(line);
  options.interactive = true;
  if (line.resume.empty()) {
    Session session(host, output, options);
    return run_prompt(host, output, session, {line.journal, std::nullopt, {}});
  }
  const auto folder = state_folder();
  if (!folder.ok()) return fail_file(output, fmt::format("no session is saved: {}", folder.reason));
  const auto kept = kept_sessions(host, folder.value);
  if (line.resume == "list") {
    host.print(text_of(kept));
    return 0;
  }
  const auto chosen = chosen_session(kept, line.resume);
  const auto text = host.read_file(chosen.path);
  if (!text.ok()) return fail_file(output, fmt::format("cannot read {}: {}", chosen.path, text.reason));
  auto journal = read_journal(text.value, chosen.path);
  options.seed = journal.head.seed;
  options.out_folder = journal.head.out;
  Session session(host, output, options);
  return run_prompt(host, output, session, {line.journal, std::move(journal), chosen.path});
}

constexpr Command kCommands[] = {
    {"", "[options]", "Start the interactive prompt", "", false, false, prompt},
    {"run", "run SCRIPT [options]", "Run a script (- for standard input); print values, write files",
     "script", true, false, run_script},
    {"eval", "eval 'EXPRESSION'", "Evaluate an expression and print its value", "expression", true, false,
     evaluate},
    {"report", "report SCRIPT -o FILE", "Run a script, or read a study, and write a report, .html or .md",
     "script", true, false, report_script},
    {"verify", "verify OUT/run.json", "Re-run and compare every output", "record", true, false,
     verify_record},
    {"trace", "trace FILE", "Print the script and inputs that a figure or result was made from", "file", true,
     false, trace_file},
    {"watch", "watch SCRIPT [options]", "Run a script, and re-run what a change affects", "script", true,
     false, watch_script},
    {"sweep", "sweep SCRIPT --vary …", "Run a script for many inputs; write a table of results", "script",
     false, false, sweep_script},
    {"check", "check SCRIPT…", "Find errors without running; list inputs and sections", "script", true, true,
     check_scripts},
    {"demo", "demo [FOLDER]", "Create the demo project in a folder (velm) and run it", "folder", false, false,
     run_demo},
    {"help", "help [NAME]", "Describe a built-in; help --search WORDS finds built-ins", "name", false, true,
     help},
};

}  // namespace

std::span<const Command> commands() { return kCommands; }

}  // namespace quill
