#include "app/session_commands.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "app/reporting.h"
#include "app/terminal_picture.h"
#include "app/user_program.h"
#include "base/number.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "language/parser.h"
#include "session/kept_values.h"
#include "value/print.h"

namespace quill {

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

// Names of the script take precedence over built-ins.
std::string help_page(const std::string& name, int width) {
  std::string out;
  const int row = builtins().find(name);
  if (row >= 0) out = help_text(builtins().row(row), width);
  for (const auto& w : session_commands())
    if (name == w.name || ":" + name == w.name)
      out += fmt::format("{}{}{}\nAt the prompt: {}.\n", out.empty() ? "" : "\n", w.name,
                         *w.argument ? " " + to_upper(w.argument) : "", w.about);
  if (const auto* topic = find_topic(name); topic && out.empty()) out = help_text(*topic, width);
  return out;
}

void tell_no_help(TextOutput& output, const std::string& name) {
  std::vector<std::string> known;
  for (const auto& r : builtins().rows()) known.emplace_back(r.name);
  for (const auto& w : session_commands()) known.emplace_back(w.name);
  for (const auto& t : topics()) known.emplace_back(t.name);
  auto near = std::string(builtins().named_by(name));
  if (near.empty()) near = nearest_name(name, known);
  output.message(fmt::format("error: no help for `{}`\n  hint: {}\n", name,
                             near.empty()
                                 ? "help lists the built-ins, help --search WORDS finds them by words"
                                 : "did you mean " + near + "?"));
}

void tell_help(Host& host, TextOutput& output, const Session& session, const std::string& name) {
  if (name.empty()) return host.print(help_overview(host.columns()));
  if (const auto* value = named_value(session, name); value && !value->is(Kind::builtin))
    return host.print(help_of(name, *value, host.columns()));
  const auto page = help_page(name, host.columns());
  if (page.empty()) return tell_no_help(output, name);
  host.print(page);
}

std::string first_line(const std::string& text) {
  const auto line = text.substr(0, text.find('\n'));
  return shortened(line, 60) + (line.size() < text.size() ? " …" : "");
}

namespace {

std::string shown(const Entries::Entry& entry) {
  return fmt::format("{} ~ {}", entry.number, first_line(entry.text));
}

// Two descriptions with their common beginning shown once: "float64 10, 0 … 1 → 0 … 2".
std::string changed_text(const std::string& before, const std::string& after) {
  if (before == after) return before + ", with other values";
  if (before.starts_with("table") || before.starts_with("record")) return before + " → " + after;
  auto head = before.find(", ");
  head = head == std::string::npos ? before.rfind(' ') + 1 : head + 2;
  const bool is_shared = head < before.size() && after.substr(0, head) == before.substr(0, head);
  return before + " → " + (is_shared ? after.substr(head) : after);
}

}  // namespace

namespace {

// Changes caused by an entry, under the line that names it.
void tell_values(Prompt& p, const Entries::Rerun& rerun) {
  std::size_t width = 0;
  for (const auto& change : rerun.changes) width = std::max(width, display_width(change.name));
  for (const auto& [name, before, after] : rerun.changes)
    p.host.print(fmt::format("    {} : {}\n", pad_right(name, width),
                             before.empty()  ? after + "   (new)"
                             : after.empty() ? before + " → gone"
                                             : changed_text(before, after)));
}

}  // namespace

void tell_changes(Prompt& p, const std::vector<Entries::Rerun>& entries, const std::string& what) {
  for (const auto& rerun : entries) {
    p.host.print(
        fmt::format("  {}: {}{}\n", what, shown(rerun.entry), rerun.entry.failed ? "   (an error)" : ""));
    tell_values(p, rerun);
  }
}

namespace {

void tell_need(Prompt& p, const char* word, const std::string& needed, const std::string& example) {
  p.output.message(fmt::format("error: `{0}` needs {1}\n  hint: {0} {2}\n", word, needed, example));
}

void act_help(Prompt& p, const std::string& name) {
  if (name.empty()) {
    for (const auto& w : session_commands())
      p.host.print(pad_right(w.name, 10) + w.about +
                   (*w.example ? fmt::format(": {} {}", w.name, w.example) : "") + "\n");
    p.host.print("\n");
  }
  tell_help(p.host, p.output, p.session, name);
}

void act_vars(Prompt& p, const std::string&) {
  auto& host = p.host;
  const auto variables = p.session.variables();
  std::size_t width = 0;
  for (const auto& v : variables) width = std::max(width, display_width(v.name));
  for (const auto& v : variables) host.print("  " + pad_right(v.name, width) + " : " + v.contents + "\n");
  if (variables.empty()) host.print("  no variables yet\n");
}

void act_history(Prompt& p, const std::string&) {
  for (const auto& entry : p.entries.done())
    p.host.print(fmt::format("  {}{}\n", shown(entry), entry.failed ? "   (an error)" : ""));
  for (auto entry = p.entries.undone().rbegin(); entry != p.entries.undone().rend(); ++entry)
    p.host.print(fmt::format("  {}   (undone)\n", shown(*entry)));
  if (p.entries.done().empty() && p.entries.undone().empty()) p.host.print("  no entries yet\n");
}

// Number of entries: one by default; 0 after reporting an invalid number.
int count_of(Prompt& p, const char* word, const std::string& argument) {
  if (argument.empty()) return 1;
  const auto count = parse_number(argument);
  if (count && *count >= 1 && *count <= 1e6 && *count == std::floor(*count)) return static_cast<int>(*count);
  tell_need(p, word, "a whole number from 1, or nothing", "2");
  return 0;
}

// Failed entries changed nothing and are skipped.
void act_undo(Prompt& p, const std::string& argument) {
  for (int left = count_of(p, ":undo", argument); left > 0;) {
    const auto entry = p.entries.undo();
    if (!entry) {
      p.output.message(p.entries.out_of_reach() > 0
                           ? "error: earlier entries cannot be undone: their states took too much memory\n"
                           : "error: there is nothing to undo\n");
      return;
    }
    if (entry->failed) continue;
    --left;
    p.host.print(fmt::format("  undone: {}\n", shown(*entry)));
  }
}

void act_redo(Prompt& p, const std::string& argument) {
  for (int left = count_of(p, ":redo", argument); left > 0;) {
    const auto entry = p.entries.redo();
    if (!entry) return p.output.message("error: there is nothing to redo\n");
    if (entry->failed) continue;
    --left;
    p.host.print(fmt::format("  redone: {}\n", shown(*entry)));
  }
}

void act_figures(Prompt& p, const std::string&) {
  for (const auto& [name, figure] : p.session.state.figures) {
    std::vector<std::string> files;
    for (const auto& format : figure->formats)
      files.push_back(path_below(p.session.options().out_folder, name + "." + format));
    p.host.print(fmt::format("  {} : {}{}\n", name, fmt::join(files, ", "),
                             figure->title.empty() ? "" : fmt::format(", \"{}\"", figure->title)));
  }
  if (p.session.state.figures.empty()) p.host.print("  no figures yet\n");
}

void act_type(Prompt& p, const std::string& name) {
  if (const auto* value = named_value(p.session, name))
    p.host.print(card(name, *value) + "\n");
  else
    p.output.message(fmt::format("error: there is no variable `{}`\n  hint: :vars lists them\n", name));
}

// The entries as a script, after a warning for each difference from the session; nothing, after reporting
// errors, if the script could not run.
std::optional<std::string> runnable_script(Prompt& p) {
  auto script = p.entries.as_script();
  for (const auto& error : script.errors) p.output.tell(ErrorMet{error});
  if (!script.errors.empty()) {
    p.output.message("error: the entries do not make a script that runs\n  hint: :edit corrects an entry\n");
    return std::nullopt;
  }
  for (const auto& what : script.differences)
    p.output.message(fmt::format("warning: the script will not give the same results: {}\n", what));
  return std::move(script.text);
}

void act_write(Prompt& p, const std::string& path) {
  // Replaces only files written by this session.
  if (p.host.read_file(path).ok() && !p.scripts.contains(path)) {
    p.output.message(fmt::format("error: {} exists already\n  hint: choose another name\n", path));
    return;
  }
  const auto script = runnable_script(p);
  if (!script) return;
  const auto written = p.host.write_file(path, *script);
  if (written.ok())
    p.output.tell(FileWritten{path});
  else
    p.output.message(fmt::format("error: cannot write {}: {}\n", path, written.reason));
  if (written.ok()) p.scripts.insert(path);
}

void act_time(Prompt& p, const std::string& expression) { p.entries.run("timed { " + expression + " }"); }

constexpr const char *kEntryNumber = "the number of an entry", *kEntryExample = "3, or :edit 3! in an editor";

void act_edit(Prompt& p, const std::string& argument) {
  const auto end = std::min(argument.find_first_not_of("0123456789"), argument.size());
  const auto number = parse_number(std::string_view(argument).substr(0, end));
  const bool in_editor = argument.substr(end) == "!";
  if (!number || *number > 1e9 || (end < argument.size() && !in_editor && argument[end] != ' ')) {
    tell_need(p, ":edit", kEntryNumber, kEntryExample);
    return;
  }
  const auto place = p.entries.index_of(static_cast<int>(*number));
  if (!place) {
    const auto& done = p.entries.done();
    const auto k = static_cast<std::size_t>(
        std::find_if(done.begin(), done.end(), [&](const auto& e) { return e.number == *number; }) -
        done.begin());
    p.output.message(
        k < p.entries.out_of_reach()
            ? fmt::format("error: entry {} cannot be edited: the state before it took too much memory\n",
                          *number)
            : fmt::format("error: there is no entry {}\n  hint: :history lists them\n", *number));
    return;
  }
  std::optional<std::string> text(trim(std::string_view(argument).substr(end)));
  if (text->empty() || in_editor) text = p.ask_for_entry(p.entries.done()[*place].text, in_editor);
  if (!text || trim(*text).empty()) return;
  const auto edited = p.entries.edit(*place, *text, [&p](const Entries::Rerun& rerun, bool has_run) {
    if (has_run)
      tell_values(p, rerun);
    else
      p.host.print(fmt::format("  re-run: {}\n", shown(rerun.entry)));
  });
  if (edited.fine) {
    if (edited.kept > 0)
      p.host.print(edited.kept == 1 ? "  1 unchanged entry reused\n"
                                    : fmt::format("  {} unchanged entries reused\n", edited.kept));
  } else
    p.output.message("  entry " + std::to_string(p.entries.done()[*place].number) + " is unchanged");
}

void act_forget(Prompt& p, const std::string& name) {
  if (p.session.find(name))
    p.entries.run(":forget " + name);
  else
    p.output.message(fmt::format("error: there is no variable `{}`\n  hint: :vars lists them\n", name));
}

// A section with its heading; "" if the title does not exist.
std::string section_of(const std::string& text, const std::string& title) {
  const auto tree = parse(std::make_shared<Source>("script", text));
  std::size_t from = std::string::npos;
  for (const auto& statement : tree.root->kids) {
    if (statement->kind != NodeKind::section) continue;
    if (from != std::string::npos) return text.substr(from, statement->span.begin - from);
    if (statement->text == title) from = statement->span.begin;
  }
  return from == std::string::npos ? "" : text.substr(from);
}

// The named figure, or the only or last one; null, after reporting it, if there is none.
const Figure* chosen_figure(Prompt& p, const char* word, const std::string& name) {
  const auto& figures = p.session.state.figures;
  if (name.empty() && figures.size() == 1) return figures.begin()->second.get();
  const auto found = figures.find(name);
  if (found != figures.end()) return found->second.get();
  std::vector<std::string> known;
  for (const auto& [figure, drawn] : figures) known.push_back(figure);
  p.output.message(
      fmt::format("error: {}\n  hint: {}\n",
                  name.empty() ? fmt::format("`{}` needs the name of a figure", word)
                               : fmt::format("there is no figure \"{}\"", name),
                  known.empty() ? "figure(\"name\") { … } draws one" : "there are " + list_in_prose(known)));
  return nullptr;
}

void act_look(Prompt& p, const std::string& name) {
  if (const auto* figure = chosen_figure(p, ":look", name)) p.host.draw(terminal_picture(*figure));
}

void act_open(Prompt& p, const std::string& name) {
  const auto* figure = chosen_figure(p, ":open", name);
  if (!figure) return;
  const auto path = path_below(p.session.options().out_folder, figure->name + "." + figure->formats.front());
  if (const int status = run_for_user("xdg-open", path, false); status != 0)
    p.output.message(
        fmt::format("error: the desktop cannot open {}{}\n", path,
                    status == 127 ? ": there is no xdg-open" : fmt::format(" (status {})", status)));
}

void act_save(Prompt& p, const std::string& path) {
  if (!path.ends_with(".h5")) {
    p.output.message(
        fmt::format("error: variables are saved in a file that ends in .h5, not {}\n  hint: :save work.h5\n",
                    printable(path)));
    return;
  }
  if (const auto there = p.host.read_file(path); there.ok() && !holds_kept_values(there.value)) {
    p.output.message(fmt::format(
        "error: {} exists already and does not contain saved variables\n  hint: choose another name\n",
        path));
    return;
  }
  const auto kept = keep_values(p.session);
  const auto written = p.host.write_file(path, kept.bytes);
  if (!written.ok()) {
    p.output.message(fmt::format("error: cannot write {}: {}\n", path, written.reason));
    return;
  }
  p.output.tell(FileWritten{path});
  p.host.print(kept.count == 1 ? "  1 variable saved\n" : fmt::format("  {} variables saved\n", kept.count));
  for (const auto& [name, why] : kept.left_out)
    p.output.message(fmt::format("warning: `{}` is not saved: {}\n", name, why));
}

void act_load(Prompt& p, const std::string& path) { p.entries.run(":load " + path); }

// "study.eq", or "study.eq" "Title"
void act_run(Prompt& p, const std::string& argument) {
  auto path = argument;
  std::string title;
  if (const auto quote = argument.find(" \""); quote != std::string::npos && argument.ends_with('"')) {
    path = trim(std::string_view(argument).substr(0, quote));
    title = argument.substr(quote + 2, argument.size() - quote - 3);
  }
  const auto text = p.host.read_file(path);
  if (!text.ok()) {
    p.output.message(fmt::format("error: cannot read {}: {}\n", path, text.reason));
    return;
  }
  const auto part = title.empty() ? text.value : section_of(text.value, title);
  if (part.empty() && !title.empty())
    p.output.message(fmt::format("error: {} has no section \"{}\"\n", path, title));
  else
    p.entries.run(part);
}

void act_report(Prompt& p, const std::string& path) {
  // Runs the entries again as a script.
  SessionOptions options = p.session.options();
  options.interactive = false;
  options.keeps = Keeps::origins;
  options.files_from = &p.session.files();
  // Replaces only files written by this session.
  if (p.host.read_file(path).ok() && !p.scripts.contains(path)) {
    p.output.message(fmt::format("error: {} exists already\n  hint: choose another name for the report\n",
                                 printable(path)));
    return;
  }
  const auto script = runnable_script(p);
  if (script && write_report(p.host, p.output, options, "session.eq", *script, path) != 2)
    p.scripts.insert(path);
}

constexpr SessionCommand kSessionCommands[] = {
    {":help", "name", "", "", "describe a built-in or a function of your own: :help mean, or ?mean",
     act_help},
    {":vars", "", "", "", "list the variables with type, shape and range", act_vars},
    {":card", "variable", "the name of a variable", "depth", "describe a variable: type, shape and range",
     act_type},
    {":figures", "", "", "", "list the figures written in this session", act_figures},
    {":look", "figure", "", "", "show a figure in the terminal", act_look},
    {":open", "figure", "", "", "open a figure in the desktop's viewer", act_open},
    {":history", "", "", "", "list the entries, including failed and undone ones", act_history},
    {":undo", "count", "", "",
     "undo the last entry, or several: names, random numbers, settings, figures and files", act_undo},
    {":redo", "count", "", "", "redo what was undone", act_redo},
    {":edit", "entry", kEntryNumber, kEntryExample,
     "edit an entry on the line (:edit 3) or in $EDITOR (:edit 3!), and re-run what depends on it", act_edit},
    {":forget", "variable", "the name of a variable", "depth", "delete a variable", act_forget},
    {":write", "file", "the name of a script", "study.eq",
     "write the entries as a script, without failed and undone ones", act_write},
    {":save", "file", "the name of a file", "work.h5", "save all variables to a file", act_save},
    {":load", "file", "the name of a file that :save wrote", "work.h5", "load variables saved with :save",
     act_load},
    {":report", "file", "the name of a page or of Markdown", "study.html",
     "write a report of the entries, which are re-run from the beginning", act_report},
    {":run", "file", "the name of a script", "study.eq \"Title\"",
     "run a script, or one section of it, as an entry", act_run},
    {":time", "expression", "something to time", "sum(x)", "measure the time and memory of an expression",
     act_time},
    {":quit", "", "", "", "end the session", nullptr}};

}  // namespace

std::span<const SessionCommand> session_commands() { return kSessionCommands; }

bool act_on_session(Prompt& prompt, const std::string& line) {
  const auto space = line.find(' ');
  const auto word = line.substr(0, space);
  const auto rest =
      space == std::string::npos ? std::string() : std::string(trim(std::string_view(line).substr(space)));
  std::vector<std::string> known;
  for (const auto& w : session_commands()) {
    known.emplace_back(w.name);
    if (word != w.name) continue;
    if (rest.empty() && *w.needed)
      tell_need(prompt, w.name, w.needed, w.example);
    else if (w.act)
      w.act(prompt, rest);
    return w.act != nullptr;
  }
  const auto near = nearest_name(word, known);
  prompt.output.message("error: unknown command " + word + "\n  hint: " +
                        (near.empty() ? "there are " + list_in_prose(known) : "did you mean " + near + "?") +
                        "\n");
  return true;
}

}  // namespace quill
