#include "app/manual.h"

#include <fmt/format.h>

#include "app/options.h"
#include "app/session_commands.h"
#include "base/text.h"

namespace quill {

namespace {

// Escapes text for man: leading commands and hyphens.
std::string roff(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (c == '\\')
      out += "\\e";
    else if (c == '-')
      out += "\\-";
    else if (c == '\n' && out.empty())
      continue;
    else
      out += c;
  }
  if (out.starts_with('.') || out.starts_with('\'')) out.insert(0, "\\&");
  return out;
}

// Quotes text for a shell.
std::string shell_quoted(std::string_view text) {
  std::string out = "'";
  for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

std::string sentence(std::string text) {
  if (!text.empty() && text[0] >= 'a' && text[0] <= 'z') text[0] = static_cast<char>(text[0] - 'a' + 'A');
  return text + (text.ends_with('.') ? "" : ".");
}

}  // namespace

std::string manual_page() {
  std::string out = fmt::format(
      ".TH EAGER\\-QUILL 1 \"\" \"Eager Quill {}\" \"User Commands\"\n.SH NAME\n"
      "eager\\-quill \\- vectorized array scripts, numerics and figures\n.SH SYNOPSIS\n",
      QUILL_VERSION);
  for (const auto& command : commands())
    out += fmt::format(".B eager\\-quill\n{}\n.br\n", roff(command.usage));
  out +=
      ".SH DESCRIPTION\n"
      "Run array scripts with slicing, broadcasting and matrix operations, at an interactive prompt or in "
      "files;\n"
      "interpolate, integrate, fit and plot. Results and figures are written to files, and each run writes a "
      "record with\n"
      "which it can be verified later.\n.SH COMMANDS\n";
  for (const auto& command : commands()) {
    out += fmt::format(".TP\n.B {}\n{}\n", roff(*command.name ? command.usage : "(no command)"),
                       roff(sentence(command.about)));
    std::string names;
    for (const auto& option : options())
      if (has_option(command, option) && !option.is_for_developers())
        names += fmt::format("{}\\-\\-{}", names.empty() ? "" : ", ", roff(option.name));
    if (!names.empty()) out += fmt::format("Options: {}.\n", names);
  }
  out += ".SH OPTIONS\n";
  for (const auto& option : options())
    if (!option.is_for_developers())
      out += fmt::format(".TP\n.B {}\n{}\n", roff(trim(spelling(option))), roff(sentence(option.about)));
  out += ".SH \"COMMANDS OF THE PROMPT\"\n";
  for (const auto& word : session_commands())
    out += fmt::format(".TP\n.B {}\n{}\n",
                       roff(fmt::format("{}{}{}", word.name, *word.example ? " " : "", word.example)),
                       roff(sentence(word.about)));
  out +=
      ".SH FILES\n.TP\n.I $XDG_CONFIG_HOME/eager\\-quill/config\n"
      "Settings for all runs, one on a line: theme = night, digits = 6, formats = png pdf, threads = 4, "
      "native = off, color = never.\n"
      "By default in ~/.config. The record of a run contains the settings.\n"
      ".TP\n.I $XDG_STATE_HOME/eager\\-quill\n"
      "The history of lines and the journals of sessions. By default in ~/.local/state.\n"
      ".SH ENVIRONMENT\n.TP\n.B NO_COLOR\nIf set, messages are not coloured unless \\-\\-color is given.\n"
      ".TP\n.B VISUAL, EDITOR\nThe editor of :edit 3! at the prompt.\n"
      ".SH \"EXIT STATUS\"\n0 success, 1 the script failed, 2 wrong usage, 3 a re-run differs.\n"
      ".SH \"SEE ALSO\"\nThe guide, recipes and reference in /usr/share/doc/eager\\-quill/site;\n.B "
      "eager\\-quill "
      "help\nNAME.\n";
  return out;
}

std::string bash_completion() {
  std::string names, cases;
  for (const auto& command : commands()) {
    if (*command.name) names += std::string(names.empty() ? "" : " ") + command.name;
    std::string known = "--help";
    for (const auto& option : options())
      if (has_option(command, option) && !option.is_for_developers())
        known += fmt::format(" --{}", option.name);
    cases += fmt::format("    {}) known={} ;;\n", *command.name ? command.name : "''", shell_quoted(known));
  }
  return fmt::format(
      "# Completion of eager-quill for bash; made from its tables of commands and options.\n"
      "_eager_quill() {{\n"
      "  local word=${{COMP_WORDS[COMP_CWORD]}} before=${{COMP_WORDS[COMP_CWORD-1]}} command= known=\n"
      "  [ \"$COMP_CWORD\" -gt 1 ] && case ${{COMP_WORDS[1]}} in -*) ;; *) command=${{COMP_WORDS[1]}} ;; "
      "esac\n"
      "  case $before in\n"
      "    --out|--also-read|--also-write) COMPREPLY=($(compgen -d -- \"$word\")); return ;;\n"
      "    --color) COMPREPLY=($(compgen -W 'auto always never' -- \"$word\")); return ;;\n"
      "    --output|-o|--script|--config) COMPREPLY=($(compgen -f -- \"$word\")); return ;;\n"
      "  esac\n"
      "  case $command in\n{}  esac\n"
      "  if [[ $word == -* ]]; then COMPREPLY=($(compgen -W \"$known\" -- \"$word\"))\n"
      "  elif [ \"$COMP_CWORD\" -eq 1 ]; then COMPREPLY=($(compgen -W {} -- \"$word\"))\n"
      "  elif [ \"$command\" = help ]; then COMPREPLY=($(compgen -W \"$(eager-quill help --names "
      "2>/dev/null)\" -- \"$word\"))\n"
      "  else COMPREPLY=($(compgen -f -- \"$word\")); fi\n"
      "}}\n"
      "complete -o filenames -F _eager_quill eager-quill\n",
      cases, shell_quoted(names));
}

std::string zsh_completion() {
  const auto described = [](std::string_view name, std::string_view about) {
    std::string out;
    for (const char c : fmt::format("{}", about)) out += c == ':' || c == '[' || c == ']' ? ' ' : c;
    return shell_quoted(fmt::format("{}:{}", name, out));
  };
  std::string names, cases;
  for (const auto& command : commands()) {
    if (*command.name) names += "    " + described(command.name, command.about) + "\n";
    std::string known;
    for (const auto& option : options()) {
      if (!has_option(command, option) || option.is_for_developers()) continue;
      std::string about;
      for (const char c : std::string_view(option.about)) about += c == ':' || c == '[' || c == ']' ? ' ' : c;
      known += fmt::format(
          " {}", shell_quoted(fmt::format(
                     "--{}{}[{}]{}", option.name, option.implicit ? "=-" : "", about,
                     option.has_argument() ? fmt::format(":{}:_files", option.argument) : std::string())));
    }
    cases +=
        fmt::format("    {}) _arguments{} '*:file:_files' ;;\n", *command.name ? command.name : "''", known);
  }
  return fmt::format(
      "#compdef eager-quill\n"
      "# Completion of eager-quill for zsh; made from its tables of commands and options.\n"
      "_eager_quill() {{\n"
      "  local -a names\n"
      "  names=(\n{}  )\n"
      "  if (( CURRENT == 2 )) && [[ $words[2] != -* ]]; then _describe command names; return; fi\n"
      "  local command=\n"
      "  if [[ $words[2] != -* ]]; then command=$words[2]; shift words; (( CURRENT-- )); fi\n"
      "  case $command in\n{}  esac\n"
      "}}\n"
      "_eager_quill \"$@\"\n",
      names, cases);
}

}  // namespace quill
