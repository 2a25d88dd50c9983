#include "app/options.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/program_options.hpp>
#include <optional>
#include <sstream>

#include "base/number.h"
#include "base/text.h"
#include "session/stages.h"

namespace quill {

namespace po = boost::program_options;

namespace {

// "500MB", "4GB", "1.5GB", "2000000"
std::optional<std::int64_t> bytes_of(const std::string& text) {
  const auto unit = text.find_first_not_of("0123456789.");
  const auto number = parse_number(std::string_view(text).substr(0, unit));
  if (!number) return std::nullopt;
  const auto name = unit == std::string::npos ? "" : text.substr(unit);
  for (const auto& [known, factor] :
       {std::pair("", 1.0), {"kB", 1e3}, {"MB", 1e6}, {"GB", 1e9}, {"TB", 1e12}})
    if (name == known && *number * factor >= 1 && *number * factor < 1e18)
      return static_cast<std::int64_t>(*number * factor);
  return std::nullopt;
}

// Options that only store their argument.
template <auto member>
std::string take_text(CommandLine& line, const std::string& text) {
  line.*member = text;
  return {};
}
template <auto member>
std::string add_text(CommandLine& line, const std::string& text) {
  (line.*member).push_back(text);
  return {};
}
template <auto member, bool value>
std::string set_to(CommandLine& line, const std::string&) {
  line.*member = value;
  return {};
}

std::string take_seed(CommandLine& line, const std::string& text) {
  if (text.empty() || text.size() > 19 || text.find_first_not_of("0123456789") != std::string::npos)
    return fmt::format("--seed takes an integer from 0, not `{}`", text);
  line.seed = std::stoull(text);
  return {};
}

std::string take_threads(CommandLine& line, const std::string& text) {
  const auto count = parse_number(text);
  if (!count || !is_whole(*count) || *count < 1 || *count > 1024)
    return fmt::format("--threads takes an integer from 1, not `{}`", text);
  line.threads = static_cast<int>(*count);
  return {};
}

std::string take_memory(CommandLine& line, const std::string& text) {
  const auto bytes = bytes_of(text);
  if (!bytes) return fmt::format("--memory takes a size like 500MB or 4GB, not `{}`", text);
  line.memory = *bytes;
  return {};
}

std::string take_input(CommandLine& line, const std::string& text) {
  const auto at = text.find('=');
  if (at == std::string::npos || at == 0) return fmt::format("--set takes name=value, not `{}`", text);
  line.inputs.emplace_back(text.substr(0, at), text.substr(at + 1));
  return {};
}

// For options of studies.
template <auto member>
std::string take_study_text(CommandLine& line, const std::string& text) {
  line.study.*member = text;
  return {};
}
template <auto member>
std::string set_in_study(CommandLine& line, const std::string&) {
  line.study.*member = true;
  return {};
}
template <auto member>
std::string take_study_count(CommandLine& line, const std::string& text, const char* option) {
  const auto count = parse_number(text);
  constexpr double most = 1e8;
  if (!count || !is_whole(*count) || *count < 1 || *count > most)
    return fmt::format("--{} takes an integer from 1, not `{}`", option, text);
  line.study.*member = static_cast<std::decay_t<decltype(line.study.*member)>>(*count);
  return {};
}

std::vector<std::string> names_in(const std::string& text) {
  std::vector<std::string> out;
  for (std::size_t at = 0; at <= text.size();) {
    const auto end = std::min(text.find(',', at), text.size());
    if (const auto name = trim(std::string_view(text).substr(at, end - at)); !name.empty())
      out.emplace_back(name);
    at = end + 1;
  }
  return out;
}

std::string take_varied(CommandLine& line, const std::string& text) {
  const auto at = text.find('=');
  const auto name = trim(std::string_view(text).substr(0, at));
  if (at == std::string::npos || name.empty())
    return fmt::format("--vary takes name=values, such as \"rate=[0.1, 0.2]\", not `{}`", text);
  line.study.vary.emplace_back(name, trim(std::string_view(text).substr(at + 1)));
  return {};
}

// "60s", "5min", "2h", "0.5"
std::string take_limit(CommandLine& line, const std::string& text) {
  const auto unit = text.find_first_not_of("0123456789.");
  const auto number = parse_number(std::string_view(text).substr(0, unit));
  const auto name = unit == std::string::npos ? "s" : text.substr(unit);
  for (const auto& [known, seconds] : {std::pair("s", 1.0), {"min", 60.0}, {"h", 3600.0}})
    if (number && name == known && *number > 0) line.study.limit = *number * seconds;
  return line.study.limit > 0 ? std::string()
                              : fmt::format("--limit takes a time like 60s, 5min or 2h, not `{}`", text);
}

std::string take_tolerance(CommandLine& line, const std::string& text) {
  const auto tolerance = parse_number(text);
  if (!tolerance || !(*tolerance >= 0) || *tolerance > 1)
    return fmt::format("--tolerance takes a number from 0 to 1, like 1e-12, not `{}`", text);
  line.tolerance = *tolerance;
  return {};
}

std::string take_dump(CommandLine& line, const std::string& text) {
  const auto known = stage_names();
  if (std::find(known.begin(), known.end(), text) == known.end())
    return fmt::format("--dump takes {}, not `{}`", list_in_prose(known, "or"), text);
  line.dump = text;
  return {};
}

constexpr Option kOptions[] = {
    {"names", " help ", "", "for developers: print the names of all built-ins",
     set_to<&CommandLine::lists_names, true>, nullptr, "", true},
    {"vary", " sweep ", "name=values",
     "run the script for each of these values: --vary \"rate=0.1..0.5 by 0.1\"; repeatable", take_varied},
    {"collect", " sweep ", "names",
     "columns of the table: values of the script at its end, with commas between them "
     "(default: all numbers, booleans and texts)",
     [](CommandLine& line, const std::string& text) {
       for (auto& name : names_in(text)) line.study.collect.push_back(std::move(name));
       return std::string();
     }},
    {"out", " sweep ", "folder", "write the study to this folder (default: study)",
     take_study_text<&StudyLine::folder>},
    {"together", " sweep ", "names", "vary these inputs as one instead of combining them: --together rate,n",
     [](CommandLine& line, const std::string& text) {
       line.study.together.push_back(names_in(text));
       return std::string();
     }},
    {"cases", " sweep ", "file", "run a case for each row of a table, whose columns are inputs",
     take_study_text<&StudyLine::table>},
    {"cases", " verify report ", "numbers", "of a study, these cases: --cases 3,7",
     take_study_text<&StudyLine::numbers>},
    {"sample", " sweep ", "count",
     "draw this number of cases from the ranges that vary: --vary \"rate=[0.1, 0.5]\"",
     [](CommandLine& line, const std::string& text) {
       return take_study_count<&StudyLine::samples>(line, text, "sample");
     }},
    {"sample", " verify ", "count", "of a study, re-run this number of cases, drawn at random",
     [](CommandLine& line, const std::string& text) {
       return take_study_count<&StudyLine::samples>(line, text, "sample");
     }},
    {"design", " sweep ", "name", "of --sample: latin (Latin hypercube, default) or sobol (Sobol's sequence)",
     [](CommandLine& line, const std::string& text) {
       line.study.sampling = text;
       return text == "latin" || text == "sobol"
                  ? std::string()
                  : fmt::format("--design takes latin or sobol, not `{}`", text);
     }},
    {"repeat", " sweep ", "count", "run each case this number of times, each with its own seed",
     [](CommandLine& line, const std::string& text) {
       return take_study_count<&StudyLine::repeats>(line, text, "repeat");
     }},
    {"workers", " sweep verify ", "count",
     "run this number of cases at once (default: one per processor); with --on slurm, the number of tasks "
     "(default: "
     "8)",
     [](CommandLine& line, const std::string& text) {
       return take_study_count<&StudyLine::workers>(line, text, "workers");
     }},
    {"limit", " sweep ", "time", "stop a case after this time, such as 60s, 5min or 2h", take_limit},
    {"failed", " sweep ", "", "run failed cases again", set_in_study<&StudyLine::again_failed>},
    {"stop-on-error", " sweep ", "", "start no more cases after one has failed",
     set_in_study<&StudyLine::stops_at_error>},
    {"keep", " sweep ", "", "write the record of each case (cases/…/run.json)",
     set_in_study<&StudyLine::keeps>},
    {"on", " sweep ", "where",
     "local (default), or slurm: submit a job array, follow it and merge its results",
     [](CommandLine& line, const std::string& text) {
       line.study.on = text;
       return text == "local" || text == "slurm"
                  ? std::string()
                  : fmt::format("--on takes local or slurm, not `{}`; mpirun starts eager-quill-mpi", text);
     }},
    {"dry-run", " sweep ", "", "with --on slurm, write the batch script only",
     set_in_study<&StudyLine::is_dry>},
    {"batch", " sweep ", "option",
     "with --on slurm, an option for sbatch: --batch=--time=2:00:00; repeatable",
     [](CommandLine& line, const std::string& text) {
       line.study.batch.push_back(text);
       return text.starts_with("-") && text.find('\n') == text.npos
                  ? std::string()
                  : fmt::format(
                        "--batch takes an option for sbatch, such as --batch=--time=2:00:00, not `{}`", text);
     }},
    {"part", " sweep ", "number", "for developers: run one part of a study, in a job array",
     [](CommandLine& line, const std::string& text) {
       return take_study_count<&StudyLine::part>(line, text, "part");
     },
     nullptr, "", true},
    {"status", " sweep ", "folder", "report how far the study in this folder is",
     take_study_text<&StudyLine::status>},
    {"out", " run watch report prompt ", "folder", "write figures and files to this folder (default: out)",
     take_text<&CommandLine::out>},
    {"seed", " run watch report sweep prompt ", "number", "set the seed of the random numbers (default: 1)",
     take_seed},
    {"memory", " run watch report sweep eval prompt verify trace ", "size",
     "limit the memory of all values, such as 500MB or 4GB (default: three quarters of the memory, divided "
     "among the "
     "workers of a study)",
     take_memory, nullptr, "", true},
    {"set", " run watch report sweep ", "name=value",
     "set an input of the script to a literal: --set rate=0.5; repeatable", take_input},
    {"section", " run watch report sweep ", "title", "run only up to the end of the section with this title",
     take_text<&CommandLine::section>},
    {"threads", " run watch report sweep eval prompt verify trace ", "count",
     "use this number of threads (default: one per processor; one for each case of a study)", take_threads,
     nullptr, "", true},
    {"no-native", " run watch report sweep eval prompt verify trace ", "",
     "run loops without compiling them to machine code", set_to<&CommandLine::native, false>, nullptr, "",
     true},
    {"script", " verify trace ", "file", "use the script at this path, if it has moved",
     take_text<&CommandLine::script>},
    {"tolerance", " verify trace ", "share",
     "accept differences up to this fraction of the largest number beside them (default: 0)", take_tolerance},
    {"rerun", " trace ", "", "make the file again and compare", set_to<&CommandLine::rerun, true>},
    {"json", " check ", "", "print JSON with exact locations, for editors", set_to<&CommandLine::json, true>},
    {"prov", " trace ", "", "print W3C PROV-JSON; also for a run.json", set_to<&CommandLine::prov, true>,
     nullptr, "", true},
    {"also-read", " run watch report sweep eval prompt verify trace ", "folder",
     "allow scripts to read files in this folder; repeatable", add_text<&CommandLine::also_read>, nullptr, "",
     true},
    {"also-write", " run watch report sweep eval prompt ", "folder",
     "allow scripts to write files in this folder; repeatable", add_text<&CommandLine::also_write>, nullptr,
     "", true},
    {"no-record", " run report ", "", "do not write the record of the run (run.json)",
     set_to<&CommandLine::record, false>, nullptr, "", true},
    {"explain", " run ", "",
     "report which array expressions were fused and which loops became machine code, and why others did not",
     set_to<&CommandLine::explains, true>},
    {"output", " report ", "file",
     "write the report to this file, .html or .md (default: name of the script with .html)",
     take_text<&CommandLine::file>, nullptr, ",o"},
    {"interactive", " report ", "", "include interactive figures (.html)",
     set_to<&CommandLine::is_interactive, true>},
    {"resume", " prompt ", "which",
     "continue the last session of this folder, =list lists sessions, =3 continues the third",
     [](CommandLine& line, const std::string& text) {
       const bool is_number =
           !text.empty() && text.size() < 9 && text.find_first_not_of("0123456789") == std::string::npos;
       line.resume = text;
       return is_number || text == "last" || text == "list"
                  ? std::string()
                  : fmt::format("--resume takes =list or =NUMBER, not `{}`", text);
     },
     "last"},
    {"no-journal", " prompt ", "", "do not keep a journal of the session",
     set_to<&CommandLine::journal, false>, nullptr, "", true},
    {"quiet", " run watch report sweep ", "", "do not print warnings and paths of written files",
     set_to<&CommandLine::quiet, true>},
    {"browse", " help ", "", "open the page of the built-in in a browser",
     set_to<&CommandLine::browses, true>},
    {"search", " help ", "word", "find built-ins by words, in any order", take_text<&CommandLine::search>},
    {"color", "*", "when", "colour messages: auto, always or never (default: auto)",
     [](CommandLine& line, const std::string& text) {
       line.color = text;
       return text == "auto" || text == "always" || text == "never"
                  ? std::string()
                  : fmt::format("--color takes auto, always or never, not `{}`", text);
     }},
    {"config", "*", "file",
     "read settings from this file (default: eager-quill/config in $XDG_CONFIG_HOME or ~/.config)",
     take_text<&CommandLine::config>, nullptr, "", true},
    {"no-config", "*", "", "do not read a file of settings", set_to<&CommandLine::reads_config, false>,
     nullptr, "", true},
    {"dump", " prompt ", "stage",
     "for developers, with a script: print tokens, tree, effects, program, flow, types, native or figure "
     "instead of running",
     take_dump, nullptr, "", true},
};

std::string key_of(const Command& command) { return *command.name ? command.name : "prompt"; }

}  // namespace

std::span<const Option> options() { return kOptions; }

std::string spelling(const Option& option) {
  auto out =
      fmt::format("{}--{}", *option.letter ? fmt::format("-{}, ", option.letter + 1) : "    ", option.name);
  const auto argument = to_upper(std::string(option.argument));
  if (option.implicit) return out + fmt::format("[={}]", argument);
  return option.has_argument() ? out + " " + argument : out;
}

bool has_option(const Command& command, const Option& option) {
  if (std::string_view(option.commands) == "*") return true;
  return std::string_view(option.commands).find(fmt::format(" {} ", key_of(command))) !=
         std::string_view::npos;
}

namespace {

po::options_description options_of(const Command& command) {
  po::options_description options;
  auto add = options.add_options();
  add("help,h", "");
  for (const auto& option : quill::options()) {
    if (!has_option(command, option)) continue;
    const auto name = std::string(option.name) + option.letter;
    if (!option.has_argument()) {
      add(name.c_str(), "");
      continue;
    }
    auto* value = po::value<std::vector<std::string>>()->composing();
    if (option.implicit) value->implicit_value({option.implicit}, option.implicit);
    add(name.c_str(), value);
  }
  if (!*command.name) add("version", "");
  return options;
}

// One line for each option, advanced ones under a separate heading.
std::string option_lines(const Command& command) {
  std::vector<std::pair<std::string, std::string>> common, uncommon;
  for (const auto& option : quill::options())
    if (has_option(command, option))
      (option.is_advanced ? uncommon : common).emplace_back(spelling(option), option.about);
  common.emplace_back("-h, --help", "show this help");
  if (!*command.name) common.emplace_back("    --version", "show the version");
  std::string out;
  const auto add = [&](std::string_view title, const auto& rows) {
    if (rows.empty()) return;
    constexpr std::size_t indent = 28, width = 100;
    out += fmt::format("\n{}\n", title);
    for (const auto& [spelled, about] : rows) {
      const auto lines = wrap(about, width - indent);
      for (std::size_t k = 0; k < lines.size(); ++k)
        out += (k == 0 ? pad_right("  " + spelled, indent - 1) + " " : std::string(indent, ' ')) + lines[k] +
               "\n";
    }
  };
  add("Options", common);
  add("Advanced options", uncommon);
  return out;
}

std::string usage_of(const Command& command) {
  if (*command.name)
    return fmt::format("Usage: eager-quill {}\n{}.\n{}", command.usage, command.about, option_lines(command));
  std::string out = "Eager Quill: vectorized array scripts, numerics and figures.\n\nUsage\n";
  for (const auto& c : commands())
    out += fmt::format("  eager-quill {}{}\n", pad_right(c.usage, 24), c.about);
  return out + option_lines(command) +
         "\n`eager-quill COMMAND --help` lists the options of a command.\n"
         "Exit status: 0 success, 1 the script failed, 2 wrong usage, 3 a re-run differs.\n";
}

CommandLine wrong(const std::string& message, const std::string& command) {
  CommandLine line;
  line.status = 2;
  line.message =
      fmt::format("error: {}; see eager-quill {}--help\n", message, command.empty() ? "" : command + " ");
  return line;
}

// Error message for words of the command line.
std::string words_of(const po::error& error) {
  const auto* named = dynamic_cast<const po::error_with_option_name*>(&error);
  const auto option = named ? named->get_option_name() : std::string();
  if (dynamic_cast<const po::unknown_option*>(&error)) return fmt::format("unknown option {}", option);
  if (dynamic_cast<const po::multiple_occurrences*>(&error))
    return fmt::format("option {} is given twice", option);
  if (const auto* syntax = dynamic_cast<const po::invalid_command_line_syntax*>(&error)) {
    using Kind = po::invalid_syntax;
    switch (syntax->kind()) {
      case Kind::missing_parameter:
      case Kind::empty_adjacent_parameter: return fmt::format("option {} needs an argument", option);
      case Kind::extra_parameter: return fmt::format("option {} takes no argument", option);
      default: return fmt::format("option {} is incomplete", option);
    }
  }
  return option.empty() ? std::string("the options cannot be parsed")
                        : fmt::format("option {} has a wrong argument", option);
}

// Whether the option takes the next word as argument.
bool takes_next(const std::string& word) {
  for (const auto& option : options())
    if (word == std::string("--") + option.name) return option.has_argument() && !option.implicit;
  return false;
}

// An expression may start with a minus sign; it and all later words are not options.
std::vector<std::string> protect_expression(std::vector<std::string> words) {
  for (std::size_t k = 0; k < words.size(); ++k) {
    const auto& w = words[k];
    if (w == "--") return words;
    const bool option = w.starts_with("--") || w == "-h";
    if (!option) {
      words.insert(words.begin() + static_cast<std::ptrdiff_t>(k), "--");
      return words;
    }
    if (takes_next(w)) ++k;
  }
  return words;
}

const Command* find_command(const std::string& name) {
  for (const auto& c : commands())
    if (name == c.name) return &c;
  return nullptr;
}

CommandLine unknown_command(const std::string& word) {
  std::vector<std::string> known;
  for (const auto& c : commands())
    if (*c.name) known.emplace_back(c.name);
  const auto near = nearest_name(word, known);
  const bool script = word.ends_with(".eq");
  return wrong(fmt::format("unknown command `{}`{}", word,
                           script         ? fmt::format(" (did you mean: eager-quill run {}?)", word)
                           : near.empty() ? ""
                                          : fmt::format(" (did you mean {}?)", near)),
               "");
}

}  // namespace

CommandLine parse_command_line(int count, const char* const* arguments) {
  std::vector<std::string> words(arguments + std::min(count, 1), arguments + count);
  const bool has_name = !words.empty() && !words[0].starts_with('-');
  const auto* command = find_command(has_name ? words[0] : "");
  if (!command) return unknown_command(words[0]);
  if (has_name) words.erase(words.begin());
  const std::string name = command->name;
  if (name == "eval") words = protect_expression(std::move(words));
  CommandLine line;
  line.words = words;
  po::options_description all;
  all.add(options_of(*command)).add_options()("subject", po::value<std::vector<std::string>>());
  po::positional_options_description positional;
  positional.add("subject", -1);
  po::variables_map map;
  try {
    namespace style = po::command_line_style;
    const int strict = style::unix_style & ~style::allow_guessing;
    po::store(po::command_line_parser(words).options(all).positional(positional).style(strict).run(), map);
  } catch (const po::error& error) { return wrong(words_of(error), name); }
  if (map.count("help")) {
    line.printed = usage_of(*command);
    return line;
  }
  if (map.count("version")) {
    line.printed = "eager-quill " QUILL_VERSION "\n";
    return line;
  }
  for (const auto& option : kOptions) {
    if (!has_option(*command, option) || !map.count(option.name)) continue;
    const auto given = option.has_argument() ? map[option.name].as<std::vector<std::string>>()
                                             : std::vector<std::string>{""};
    for (const auto& text : given)
      if (const auto mistake = option.take(line, text); !mistake.empty()) return wrong(mistake, name);
  }
  const auto subjects =
      map.count("subject") ? map["subject"].as<std::vector<std::string>>() : std::vector<std::string>{};
  if (!*command->name && !subjects.empty() && find_command(subjects[0]))
    return wrong(fmt::format("the command must come first: eager-quill {} …", subjects[0]), subjects[0]);
  const std::string subject = *command->subject ? command->subject : "script";
  if (subjects.size() > 1 && !command->takes_many)
    return wrong(fmt::format("expected one {}, not {}", subject, subjects.size()), name);
  if (subjects.empty() && command->needs_subject)
    return wrong(fmt::format("`{}` needs a{} {}", name, subject.starts_with('e') ? "n" : "", subject), name);
  if (subjects.empty() && !line.dump.empty()) return wrong("--dump needs a script", name);
  if (!subjects.empty()) line.subject = subjects[0];
  line.subjects = subjects;
  line.command = command;
  return line;
}

}  // namespace quill
