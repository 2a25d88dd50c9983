// Commands of the prompt (words that start with a colon).
#pragma once

#include <functional>
#include <optional>
#include <set>
#include <span>
#include <string>

#include "app/text_output.h"
#include "session/entries.h"

namespace quill {

// What commands act on.
struct Prompt {
  Host& host;
  TextOutput& output;
  Session& session;
  Entries entries;
  // Reads an entry from the terminal or an editor, with an initial text; nothing if there is none.
  std::function<std::optional<std::string>(const std::string& start, bool in_editor)> ask_for_entry;
  std::set<std::string> scripts{};  // scripts written so far
};

// One command; used for dispatch, help and completion.
struct SessionCommand {
  const char* name;
  const char* argument;  // its argument: "name", "variable", "entry", "figure", "file", "expression"
  const char* needed;    // required argument in words; "" if it is optional
  const char* example;   // an example of it
  const char* about;
  // Called with the rest of the line; null: ends the session.
  void (*act)(Prompt& prompt, const std::string& rest);
};
std::span<const SessionCommand> session_commands();

// Executes a line that starts with a colon; false to leave.
bool act_on_session(Prompt& prompt, const std::string& line);
// Shows entries with their changes.
void tell_changes(Prompt& prompt, const std::vector<Entries::Rerun>& entries, const std::string& what);
// First line of a text, shortened if necessary, with … if there is more.
std::string first_line(const std::string& text);
// The help page of a built-in, a command of the prompt or a topic of the language; "" if there is none.
std::string help_page(const std::string& name, int width);
void tell_no_help(TextOutput& output, const std::string& name);
// Prints the help of a variable or function of the session, or a help page.
void tell_help(Host& host, TextOutput& output, const Session& session, const std::string& name);
// Value of a name or of a part such as tides.level; null if there is none.
const Value* named_value(const Session& session, const std::string& name);

}  // namespace quill
