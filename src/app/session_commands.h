// The words of the prompt that act on the session.
#pragma once

#include <functional>
#include <optional>
#include <set>
#include <span>
#include <string>

#include "app/text_output.h"
#include "session/entries.h"

namespace quill {

// What the words act on.
struct Prompt {
  Host& host;
  TextOutput& output;
  Session& session;
  Entries entries;
  // An entry from whoever sits there, on the line or in an editor, to begin with what is given; nothing when
  // there is none.
  std::function<std::optional<std::string>(const std::string& start, bool in_editor)> ask_for_entry;
  std::set<std::string> scripts{};  // that were written
};

// One row a word; dispatch, help and completion read it.
struct SessionCommand {
  const char* name;
  const char* argument;  // what follows it: "name", "variable", "entry", "figure", "file", "expression"
  const char* needed;    // what it cannot do without, in words; "" when it can
  const char* example;   // of that
  const char* about;
  // With what follows the word; null: it ends the session.
  void (*act)(Prompt& prompt, const std::string& rest);
};
std::span<const SessionCommand> session_commands();

// A line that starts with a colon; false to leave.
bool act_on_session(Prompt& prompt, const std::string& line);
// Entries with what changed by them, each behind what is said of it.
void tell_changes(Prompt& prompt, const std::vector<Entries::Rerun>& entries, const std::string& what);
// The first line of a text, as long as there is room, and … when there is more.
std::string first_line(const std::string& text);
// The help page of a built-in, a command of the prompt or a topic of the language; "" if there is none.
std::string help_page(const std::string& name, int width);
void tell_no_help(TextOutput& output, const std::string& name);
// Prints the help of a variable or function of the session, or a help page.
void tell_help(Host& host, TextOutput& output, const Session& session, const std::string& name);
// The value of a name, or of a part of one as tides.level; null when there is none.
const Value* named_value(const Session& session, const std::string& name);

}  // namespace quill
