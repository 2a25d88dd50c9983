#include "app/completion.h"

#include <algorithm>
#include <filesystem>

#include "app/session_commands.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "value/registry.h"

namespace quill {

namespace {

bool is_name_character(char c) {
  return std::isalnum(static_cast<unsigned char>(c)) || c == '_' || static_cast<unsigned char>(c) >= 0x80;
}

// Start of the name at the end of the text.
std::size_t start_of_name(std::string_view text) {
  auto at = text.size();
  while (at > 0 && is_name_character(text[at - 1])) --at;
  return at;
}

// Open constructs at the end of a line: a text literal, and the call around it.
struct Open {
  std::size_t quote = std::string_view::npos;  // index after the opening quote
  std::string callee;                          // innermost open call
  std::size_t argument = 0;                    // current positional argument
  std::string argument_name;                   // or its name
};

Open open_at_end(std::string_view line) {
  struct Level {
    std::string callee;
    std::size_t from;
    std::size_t commas = 0;
  };
  std::vector<Level> levels;
  bool in_text = false;
  std::size_t quote = 0;
  for (std::size_t k = 0; k < line.size(); ++k) {
    const char c = line[k];
    if (in_text) {
      if (c == '\\')
        ++k;
      else if (c == '"')
        in_text = false;
    } else if (c == '"') {
      in_text = true;
      quote = k + 1;
    } else if (c == '(' || c == '[' || c == '{') {
      const auto start = start_of_name(line.substr(0, k));
      levels.push_back({c == '(' ? std::string(line.substr(start, k - start)) : "", k + 1});
    } else if ((c == ')' || c == ']' || c == '}') && !levels.empty()) {
      levels.pop_back();
    } else if (c == ',' && !levels.empty()) {
      levels.back().from = k + 1;
      ++levels.back().commas;
    }
  }
  Open out;
  if (in_text) out.quote = quote;
  if (levels.empty()) return out;
  const auto& level = levels.back();
  out.callee = level.callee;
  out.argument = level.commas;
  const auto written = trim(line.substr(level.from));
  std::size_t end = 0;
  while (end < written.size() && is_name_character(written[end])) ++end;
  if (end > 0 && end < written.size() && written[end] == ':') out.argument_name = written.substr(0, end);
  return out;
}

// Choices of an argument, taken from the quoted words of its description.
std::vector<std::string> choices_of(const Open& open) {
  const int row = builtins().find(open.callee);
  if (row < 0) return {};
  const auto& parameters = builtins().row(row).parameters;
  const Parameter* parameter = nullptr;
  if (!open.argument_name.empty()) {
    for (const auto& p : parameters)
      if (p.name == open.argument_name) parameter = &p;
  } else if (open.argument < parameters.size()) {
    parameter = &parameters[open.argument];
  }
  std::vector<std::string> out;
  if (!parameter) return out;
  for (auto text = parameter->about;;) {
    const auto from = text.find('"');
    const auto to = from == std::string_view::npos ? from : text.find('"', from + 1);
    if (to == std::string_view::npos) return out;
    out.emplace_back(text.substr(from + 1, to - from - 1));
    text.remove_prefix(to + 1);
  }
}

// Files and folders that begin with the text.
std::vector<std::string> files_at(std::string_view start) {
  namespace fs = std::filesystem;
  const auto slash = start.rfind('/');
  const std::string folder(slash == std::string_view::npos ? "" : start.substr(0, slash + 1));
  const auto name = start.substr(folder.size());
  std::vector<std::string> out;
  std::error_code error;
  for (fs::directory_iterator at(folder.empty() ? "." : folder, error), end; !error && at != end;
       at.increment(error)) {
    const auto file = at->path().filename().string();
    if (!file.starts_with(name) || (name.empty() && file.starts_with('.'))) continue;
    std::error_code unknown;
    out.push_back(folder + file + (at->is_directory(unknown) ? "/" : ""));
  }
  return out;
}

class Completer {
 public:
  Completer(std::string_view before, const Session& session) : before_(before), session_(session) {}

  Completion run() {
    const auto first = before_.find_first_not_of(' ');
    if (first != std::string_view::npos && before_[first] == ':') {
      word(first);
    } else if (first != std::string_view::npos && before_[first] == '?') {
      start_at(first + 1);
      names();
    } else {
      const auto open = open_at_end(before_);
      if (open.quote != std::string_view::npos)
        text(open);
      else
        expression(open);
    }
    auto& found = out_.found;
    std::sort(found.begin(), found.end());
    found.erase(std::unique(found.begin(), found.end()), found.end());
    return std::move(out_);
  }

 private:
  void start_at(std::size_t at) {
    out_.start = at;
    typed_ = before_.substr(at);
  }
  void add(std::string name) {
    if (name.starts_with(typed_)) out_.found.push_back(std::move(name));
  }

  void names() {
    for (const auto& row : builtins().rows()) add(std::string(row.name));
    variables();
  }
  void variables() {
    for (const auto& name : session_.names())
      if (session_.find(name)) add(name);
  }

  void word(std::size_t first) {
    const auto space = before_.find(' ', first);
    if (space == std::string_view::npos) {
      start_at(first);
      for (const auto& known : session_commands())
        add(std::string(known.name) + (*known.argument ? " " : ""));
      return;
    }
    const auto named = before_.substr(first, space - first);
    start_at(before_.find_last_of(' ') + 1);
    for (const auto& known : session_commands()) {
      if (named != known.name) continue;
      const std::string_view argument = known.argument;
      if (argument == "name") names();
      if (argument == "variable") variables();
      if (argument == "figure")
        for (const auto& [name, figure] : session_.state.figures) add(name);
      if (argument == "file")
        for (auto& file : files_at(typed_)) add(std::move(file));
      if (argument == "expression") expression(open_at_end(before_.substr(space)));
    }
  }

  void text(const Open& open) {
    start_at(open.quote);
    for (auto& choice : choices_of(open)) add(choice + "\"");
    if (!out_.found.empty()) return;
    for (auto& file : files_at(typed_)) add(file.ends_with('/') ? file : file + "\"");
  }

  void expression(const Open& open) {
    const auto at = start_of_name(before_);
    start_at(at);
    if (at > 0 && before_[at - 1] == '.') {
      auto from = at - 1;
      while (from > 0 && (is_name_character(before_[from - 1]) || before_[from - 1] == '.')) --from;
      return parts(std::string(before_.substr(from, at - 1 - from)));
    }
    names();
    arguments(open.callee);
  }

  void parts(const std::string& name) {
    const auto* value = named_value(session_, name);
    if (!value) return;
    const auto plain = plain_value(*value);
    if (plain.is(Kind::record))
      for (const auto& [field, held] : plain.object<RecordObject>().fields) add(field);
    if (plain.is(Kind::library))
      for (const auto& part : plain.object<LibraryObject>().part_names()) add(part);
  }

  void arguments(const std::string& callee) {
    if (const auto* own = session_.find(callee); own && own->is(Kind::function)) {
      for (const auto& name : own->object<FunctionObject>().head.parameters) add(name + ": ");
    } else if (const int row = builtins().find(callee); row >= 0) {
      for (const auto& parameter : builtins().row(row).parameters) add(std::string(parameter.name) + ": ");
    }
  }

  std::string_view before_, typed_;
  const Session& session_;
  Completion out_;
};

}  // namespace

Completion complete_line(std::string_view before, const Session& session) {
  return Completer(before, session).run();
}

}  // namespace quill
