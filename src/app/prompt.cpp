#include "app/prompt.h"

#include <fcntl.h>
#include <unistd.h>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <optional>

#include "app/completion.h"
#include "app/journal_file.h"
#include "app/line_editor.h"
#include "app/session_commands.h"
#include "app/timings.h"
#include "app/user_program.h"
#include "base/descriptor.h"
#include "base/memory.h"
#include "base/text.h"
#include "base/time_text.h"
#include "language/parser.h"

namespace quill {

namespace {

std::string history_path() {
  const auto folder = state_folder();
  return folder.ok() ? folder.value + "/history" : std::string();
}

// Prose is part of the entry after it.
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

// The innermost open bracket or quote at the end of a text; "" if there is none.
std::string innermost_open(const std::string& text) {
  std::vector<char> open;
  for (std::size_t k = 0; k < text.size(); ++k) {
    const char c = text[k];
    if (!open.empty() && open.back() == '"') {
      if (c == '\\') ++k;
      if (c == '"') open.pop_back();
    } else if (c == '#') {
      k = std::min(text.find('\n', k), text.size());
    } else if (c == '"' || c == '(' || c == '[' || c == '{') {
      open.push_back(c);
    } else if ((c == ')' || c == ']' || c == '}') && !open.empty()) {
      open.pop_back();
    }
  }
  return open.empty() ? std::string() : std::string(1, open.back());
}

struct Reader {
  Host& host;
  LineEditor& lines;
  bool at_end = false;

  // Reads an entry of as many lines as necessary; nothing if it was interrupted or input has ended.
  std::optional<std::string> entry(const std::string& prompt, const std::string& start) {
    bool interrupted = false;
    auto line = lines.read(prompt, interrupted, start);
    at_end = !line;
    if (!line || interrupted) return std::nullopt;
    const auto first = trim(*line);
    if (first.starts_with(':') || first.starts_with('?')) return line;
    while (needs_more(*line)) {
      // The open bracket is shown before the dots.
      const auto mark = innermost_open(*line) + " … ";
      auto next = lines.read(pad_left(mark, display_width(prompt)), interrupted);
      if (interrupted) return std::nullopt;
      if (!next) {
        at_end = true;
        break;
      }
      *line += "\n" + *next;
    }
    return line;
  }
};

// Lets the user edit a text in an editor.
std::optional<std::string> edited_elsewhere(Host& host, TextOutput& output, const std::string& text) {
  namespace fs = std::filesystem;
  const char* editor = std::getenv("VISUAL");
  if (!editor || !*editor) editor = std::getenv("EDITOR");
  if (!editor || !*editor) {
    output.message("error: no editor is set\n  hint: export EDITOR=…; :edit 3 edits on the line\n");
    return std::nullopt;
  }
  std::error_code error;
  auto path = (fs::temp_directory_path(error) / "entry-XXXXXX.eq").string();
  // With the permissions 0600.
  constexpr int of_ending = 3;
  const Descriptor made(::mkostemps(path.data(), of_ending, O_CLOEXEC));
  const auto written = made.is_open() ? host.write_file(path, text) : Outcome<Done>{{}, system_reason()};
  if (!written.ok()) {
    output.message(fmt::format("error: cannot write {}: {}\n", path, written.reason));
    return std::nullopt;
  }
  const int status = run_for_user(editor, path);
  auto got = host.read_file(path);
  fs::remove(path, error);
  if (status != 0 || !got.ok()) {
    output.message(fmt::format("error: {} ended with {}\n", editor, status));
    return std::nullopt;
  }
  while (got.value.ends_with('\n')) got.value.pop_back();
  return got.value;
}

// The journal of a new session; null if there is none, which is reported if one was expected.
std::unique_ptr<JournalFile> journal_of(Host& host, TextOutput& output, const Session& session,
                                        const PromptOptions& options, bool terminal) {
  if (!options.journal || (!terminal && !options.resumed)) return nullptr;
  const auto& resumed = options.resumed;
  if (resumed && resumed->is_torn)
    output.message("warning: the last line of the journal was incomplete and is lost\n");
  std::error_code error;
  JournalHead head{QUILL_VERSION, time_text(std::floor(host.time_of_day())),
                   std::filesystem::current_path(error).string(), session.options().out_folder,
                   session.options().seed};
  auto file = resumed && resumed->damage.empty()
                  ? JournalFile::go_on(host, options.path, resumed->size, resumed->read)
                  : JournalFile::begin(host, head);
  if (!file.ok()) {
    output.message(
        fmt::format("error: this session has no journal: {}\n  hint: entries are not saved automatically; "
                    ":write saves them as a script\n",
                    file.reason));
  } else if (resumed && !resumed->damage.empty()) {
    output.message(
        fmt::format("warning: {}: {}\n  hint: the entries before the damage continue in {}; the damaged file "
                    "is unchanged\n",
                    options.path, resumed->damage, file.value->path()));
    for (const auto& event : resumed->events) file.value->tell(event);
  }
  return std::move(file.value);
}

void take_up(Prompt& p, const Journal& journal) {
  const double began = p.host.seconds();
  Entries::Resumed resumed;
  {
    const auto silence = p.output.silence();
    resumed = p.entries.resume(journal);
  }
  p.host.print(fmt::format(
      "  continuing the session of {}: {}, in {}\n", journal.head.began,
      p.entries.done().size() == 1 ? "1 entry" : fmt::format("{} entries", p.entries.done().size()),
      duration_in_prose(p.host.seconds() - began)));
  if (resumed.taken > 0)
    p.host.print(fmt::format(
        "  {} restored from saved results\n",
        resumed.taken == 1 ? "1 long entry was" : fmt::format("{} long entries were", resumed.taken)));
  if (resumed.unfinished) p.host.print("  the last entry had not finished and was run again\n");
  for (const auto& text : resumed.left_out)
    p.host.print(fmt::format("  omitted, because it did not finish: {}\n", first_line(text)));
  tell_changes(p, resumed.different, "has another result");
  p.session.settle_files();
}

// Runs an entry, a command or a question for help; false to leave. Throws where a command that only reads the
// session is stopped, or memory ends.
bool act_on(Prompt& p, const std::string& entry, bool& last_failed) {
  const std::string line(trim(entry));
  if (line.starts_with(':')) return act_on_session(p, line);
  if (line.starts_with('?'))
    tell_help(p.host, p.output, p.session, std::string(trim(std::string_view(line).substr(1))));
  else
    last_failed = !p.entries.run(entry);
  return true;
}

}  // namespace

int run_prompt(Host& host, TextOutput& output, Session& session, const PromptOptions& options) {
  LineEditor lines([&session](std::string_view before) { return complete_line(before, session); },
                   history_path());
  Reader reader{host, lines};
  const auto journal = journal_of(host, output, session, options, lines.terminal());
  Prompt state{host, output, session, Entries(session, journal.get()),
               [&](const std::string& start, bool in_editor) {
                 return in_editor ? edited_elsewhere(host, output, start) : reader.entry("… ", start);
               }};
  bool last_failed = false;
  if (lines.terminal())
    host.print("Eager Quill " QUILL_VERSION "   :help describes a built-in, :quit ends the session\n");
  if (options.resumed) take_up(state, *options.resumed);
  while (!reader.at_end) {
    const auto entry = reader.entry(std::to_string(state.entries.next_number()) + " ~ ", "");
    if (!entry || trim(*entry).empty()) continue;
    lines.remember(*entry);
    try {
      if (!act_on(state, *entry, last_failed)) return 0;
    } catch (const Error& error) { output.message(describe(error)); } catch (const std::bad_alloc&) {
      output.message(describe(memory_error()));
    }
  }
  if (lines.terminal()) host.print("\n");
  // Input from a pipe has the exit status of a script.
  return !lines.terminal() && last_failed ? 1 : 0;
}

}  // namespace quill
