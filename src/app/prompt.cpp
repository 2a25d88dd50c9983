#include "app/prompt.h"

#include <readline/history.h>
#include <readline/readline.h>

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <iostream>
#include <optional>
#include <set>
#include <span>

#include "app/lines.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "language/parser.h"
#include "session/entries.h"
#include "value/print.h"

namespace quill {

namespace {

Session* completed_session = nullptr;  // Readline's callbacks take no argument

// What the words act on.
struct Prompt {
  Host& host;
  TextOutput& output;
  Session& session;
  Entries entries;
  std::set<std::string> scripts{};  // that were written
};

// One row a word that acts on the session; dispatch, help and completion read it.
struct Word {
  const char* name;
  const char* about;
  // With what stands behind the word; false to leave.
  bool (*act)(Prompt& prompt, const std::string& rest);
};
std::span<const Word> words();

std::vector<std::string> completions(const std::string& start) {
  std::vector<std::string> out;
  const auto add = [&](std::string name) {
    if (name.starts_with(start)) out.push_back(std::move(name));
  };
  if (start.starts_with(':')) {
    for (const auto& word : words()) add(word.name);
  } else {
    for (const auto& row : builtins().rows()) add(std::string(row.name));
    if (completed_session)
      for (const auto& name : completed_session->names()) add(name);
  }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

char* next_completion(const char* start, int state) {
  static std::vector<std::string> found;
  static std::size_t at = 0;
  if (state == 0) {
    found = completions(start);
    at = 0;
  }
  return at < found.size() ? strdup(found[at++].c_str()) : nullptr;
}

char** complete(const char* text, int, int) {
  // Between quotes Readline's own completion of file names serves.
  rl_completion_append_character = '\0';
  const std::string_view before(rl_line_buffer, static_cast<std::size_t>(rl_point));
  if (std::count(before.begin(), before.end(), '"') % 2 == 1) return nullptr;
  rl_attempted_completion_over = 1;
  return rl_completion_matches(text, next_completion);
}

std::string history_path() {
  const char* state = std::getenv("XDG_STATE_HOME");
  const char* home = std::getenv("HOME");
  std::filesystem::path folder;
  if (state && *state)
    folder = state;
  else if (home && *home)
    folder = std::filesystem::path(home) / ".local" / "state";
  else
    return {};
  folder /= "eager-quill";
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  return error ? std::string() : (folder / "history").string();
}

// Lines from a terminal by Readline, or from a pipe.
class Lines {
 public:
  Lines() : terminal_(on_terminal()) {
    if (!terminal_) return;
    rl_readline_name = "eager-quill";
    rl_attempted_completion_function = complete;
    rl_basic_word_break_characters = " \t\n\"\\'`@$><=;|&{(+-*/^%,[.?";
    history_ = history_path();
    using_history();
    stifle_history(5000);
    if (!history_.empty()) read_history(history_.c_str());
  }

  bool terminal() const { return terminal_; }

  // Nothing at the end of input. `interrupted` tells that Ctrl-C dropped the line.
  std::optional<std::string> read(const std::string& prompt, bool& interrupted) {
    interrupted = false;
    std::string line;
    if (!terminal_) {
      if (!std::getline(std::cin, line)) return std::nullopt;
      return line;
    }
    return read_terminal_line(prompt, interrupted);
  }

  void remember(const std::string& entry) {
    if (!terminal_ || trim(entry).empty()) return;
    add_history(entry.c_str());
    if (!history_.empty()) write_history(history_.c_str());
  }

 private:
  bool terminal_;
  std::string history_;
};

// Prose belongs to what stands below it.
bool is_prose(const std::string& text) {
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find('\n', at), text.size());
    if (!trim(std::string_view(text).substr(at, end - at)).starts_with("#:")) return false;
    at = end + 1;
  }
  return !text.empty();
}

bool needs_more(const std::string& text) {
  return is_prose(text) || is_unfinished(std::make_shared<Source>("entry", text));
}

// The value of a name, or of a part of one as tides.level; null when there is none.
const Value* named_value(const Session& session, const std::string& name) {
  const auto dot = name.find('.');
  const auto* value = session.find(name.substr(0, dot));
  for (auto at = dot; value != nullptr && at != std::string::npos;) {
    const auto end = name.find('.', at + 1);
    value = value->is(Kind::record) ? value->object<RecordObject>().find(name.substr(at + 1, end - at - 1))
                                    : nullptr;
    at = end;
  }
  return value;
}

// The names of the script come first; a built-in is found below them.
void tell_help(Host& host, TextOutput& output, const Session& session, const std::string& name) {
  if (name.empty()) return host.print(help_overview(host.columns()));
  if (const auto* value = named_value(session, name); value && !value->is(Kind::builtin))
    return host.print(help_of(name, *value, host.columns()));
  const int row = builtins().find(name);
  if (row >= 0) return host.print(help_text(builtins().row(row), host.columns()));
  std::vector<std::string> known;
  for (const auto& r : builtins().rows()) known.emplace_back(r.name);
  auto near = std::string(builtins().named_by(name));
  if (near.empty()) near = nearest_name(name, known);
  output.message("error: there is no built-in `" + name + "`\n" +
                 (near.empty() ? "" : "  hint: did you mean " + near + "?\n"));
}

bool act_help(Prompt& p, const std::string& name) {
  if (name.empty()) {
    for (const auto& w : words()) p.host.print(pad_right(w.name, 10) + w.about + "\n");
    p.host.print("\n");
  }
  tell_help(p.host, p.output, p.session, name);
  return true;
}

bool act_vars(Prompt& p, const std::string&) {
  auto& host = p.host;
  const auto variables = p.session.variables();
  std::size_t width = 0;
  for (const auto& v : variables) width = std::max(width, display_width(v.name));
  for (const auto& v : variables) host.print("  " + pad_right(v.name, width) + " : " + v.contents + "\n");
  if (variables.empty()) host.print("  no variables yet\n");
  return true;
}

// The first line of an entry.
std::string shown(const Entries::Entry& entry) {
  const auto line = entry.text.substr(0, entry.text.find('\n'));
  return fmt::format("{} ~ {}{}", entry.number, shortened(line, 60),
                     line.size() < entry.text.size() ? " …" : "");
}

bool act_history(Prompt& p, const std::string&) {
  for (const auto& entry : p.entries.done())
    p.host.print(fmt::format("  {}{}\n", shown(entry), entry.failed ? "   (an error)" : ""));
  for (auto entry = p.entries.undone().rbegin(); entry != p.entries.undone().rend(); ++entry)
    p.host.print(fmt::format("  {}   (undone)\n", shown(*entry)));
  if (p.entries.done().empty() && p.entries.undone().empty()) p.host.print("  no entries yet\n");
  return true;
}

bool act_undo(Prompt& p, const std::string&) {
  if (const auto entry = p.entries.undo())
    p.host.print(fmt::format("  undone: {}\n", shown(*entry)));
  else
    p.output.message(p.entries.out_of_reach() > 0
                         ? "error: there is no going back further: the states before took too much memory\n"
                         : "error: there is nothing to undo\n");
  return true;
}

bool act_redo(Prompt& p, const std::string&) {
  if (const auto entry = p.entries.redo())
    p.host.print(fmt::format("  done again: {}\n", shown(*entry)));
  else
    p.output.message("error: nothing was undone that could be done again\n");
  return true;
}

bool act_figures(Prompt& p, const std::string&) {
  for (const auto& [name, figure] : p.session.state.figures) {
    std::vector<std::string> files;
    for (const auto& format : figure->formats)
      files.push_back(path_below(p.session.out_folder, name + "." + format));
    p.host.print(fmt::format("  {} : {}{}\n", name, fmt::join(files, ", "),
                             figure->title.empty() ? "" : fmt::format(", \"{}\"", figure->title)));
  }
  if (p.session.state.figures.empty()) p.host.print("  no figures yet\n");
  return true;
}

bool act_type(Prompt& p, const std::string& name) {
  if (const auto* value = named_value(p.session, name))
    p.host.print(card(name, *value) + "\n");
  else
    p.output.message(fmt::format("error: there is no variable `{}`\n  hint: :vars lists them\n", name));
  return true;
}

bool act_write(Prompt& p, const std::string& path) {
  if (path.empty()) {
    p.output.message("error: `:write` needs the name of a script\n  hint: :write study.eq\n");
    return true;
  }
  // Only what this session wrote is written over.
  if (p.host.read_file(path).ok() && !p.scripts.contains(path)) {
    p.output.message(fmt::format("error: {} is there already\n  hint: give the script another name\n", path));
    return true;
  }
  const auto written = p.host.write_file(path, p.entries.as_script());
  if (written.ok())
    p.output.tell(FileWritten{path});
  else
    p.output.message(fmt::format("error: cannot write {}: {}\n", path, written.reason));
  if (written.ok()) p.scripts.insert(path);
  return true;
}

bool act_time(Prompt& p, const std::string& expression) {
  if (expression.empty())
    p.output.message("error: `:time` needs something to time\n  hint: :time sum(x)\n");
  else
    p.entries.run("timed { " + expression + " }");
  return true;
}

bool act_quit(Prompt&, const std::string&) { return false; }

constexpr Word kWords[] = {
    {":help", "help for a built-in, or for a function of your own: :help name, or ?name", act_help},
    {":vars", "the variables with type, shape and range", act_vars},
    {":type", "type, shape and range of one: :type name", act_type},
    {":figures", "the figures that were written", act_figures},
    {":history", "the entries, with those that failed or were undone", act_history},
    {":undo", "takes the last entry back: names, random numbers, settings, figures", act_undo},
    {":write", "the entries as a script, without those that failed or were undone: :write study.eq",
     act_write},
    {":time", "times an expression: :time sum(x)", act_time},
    {":redo", "does again what was undone", act_redo},
    {":quit", "ends the session", act_quit}};

std::span<const Word> words() { return kWords; }

// A line that starts with a colon; false to leave.
bool act_on_session(Prompt& prompt, const std::string& line) {
  const auto space = line.find(' ');
  const auto word = line.substr(0, space);
  const auto rest =
      space == std::string::npos ? std::string() : std::string(trim(std::string_view(line).substr(space)));
  std::vector<std::string> known;
  for (const auto& w : words()) {
    if (word == w.name) return w.act(prompt, rest);
    known.emplace_back(w.name);
  }
  const auto near = nearest_name(word, known);
  prompt.output.message("error: there is no word " + word + " for the session\n  hint: " +
                        (near.empty() ? "there are " + list_in_prose(known) : "did you mean " + near + "?") +
                        "\n");
  return true;
}

}  // namespace

int run_prompt(Host& host, TextOutput& output, Session& session) {
  Lines lines;
  Prompt state{host, output, session, Entries(session)};
  completed_session = &session;
  bool last_failed = false;
  if (lines.terminal())
    host.print("Eager Quill " QUILL_VERSION "   :help tells what there is, :quit leaves\n");
  while (true) {
    const auto prompt = std::to_string(state.entries.next_number()) + " ~ ";
    bool interrupted = false;
    auto line = lines.read(prompt, interrupted);
    if (!line) break;
    if (interrupted || trim(*line).empty()) continue;
    const std::string first(trim(*line));
    if (first.starts_with(':') || first.starts_with('?')) {
      lines.remember(first);
      if (first.starts_with('?'))
        tell_help(host, output, session, std::string(trim(std::string_view(first).substr(1))));
      else if (!act_on_session(state, first))
        return 0;
      continue;
    }
    std::string entry = *line;
    const std::string more(display_width(prompt) - 2, ' ');
    bool dropped = false;
    while (needs_more(entry)) {
      auto next = lines.read(more + "… ", interrupted);
      if (interrupted) {
        dropped = true;
        break;
      }
      if (!next) break;
      entry += "\n" + *next;
    }
    if (dropped) continue;
    lines.remember(entry);
    last_failed = !state.entries.run(entry);
  }
  if (lines.terminal()) host.print("\n");
  // A script that comes through a pipe fails like a script.
  return !lines.terminal() && last_failed ? 1 : 0;
}

}  // namespace quill
