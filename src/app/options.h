// The command line: its commands and options, each one row of a table.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "app/real_host.h"
#include "app/text_output.h"
#include "session/record.h"
#include "sweep/crew.h"
#include "sweep/setup.h"

namespace quill {

struct Command;

struct CommandLine;
// Starts the workers for a number of cases of a study.
using CrewMaker =
    std::function<std::unique_ptr<Crew>(const Setup& setup, const CommandLine& line, Index cases)>;

// What a parameter study is asked for.
struct StudyLine {
  CrewMaker crew;
  std::string runs_on;
  std::string folder = "study";
  std::vector<std::pair<std::string, std::string>> vary;
  std::vector<std::vector<std::string>> together;
  std::vector<std::string> collect;
  std::string table;    // of cases; "" for none
  std::string numbers;  // of cases to be verified: "3,7"; "" for all
  std::int64_t samples = 0, repeats = 0;
  std::string sampling = "latin";
  int workers = 0;           // 0: one for each processor
  std::string on = "local";  // or "slurm"
  double limit = 0;          // seconds for a case; 0 for none
  bool keeps = false, again_failed = false, stops_at_error = false, is_dry = false;
  std::string status;              // the folder of a study to be reported; "" for none
  std::int64_t part = 0;           // of the cases, in a job array, from 1; 0 for all
  std::vector<std::string> batch;  // options for sbatch
};

struct CommandLine {
  std::vector<std::string> words;  // arguments after the command, as given
  StudyLine study;
  const Command* command = nullptr;   // null when all is said already
  std::string subject;                // the script, the expression or the topic
  std::vector<std::string> subjects;  // all that were named
  std::string search;
  bool browses = false;  // opens help in a browser
  std::string out = "out";
  std::vector<std::pair<std::string, std::string>> inputs;
  std::uint64_t seed = 1;
  std::string section;  // the last one to run; "" for all
  Folders also_read, also_write;
  std::string script;    // in place of where a record says that it is
  double tolerance = 0;  // of numbers that are compared
  bool rerun = false, prov = false, json = false;
  bool record = true;
  std::string file;  // that is written
  bool journal = true;
  std::string resume;       // "last", "list", the number of a session in the list; "" for a new one
  bool native = true;       // loops that run often become machine code
  int threads = 0;          // 0: as many as the machine has processors
  std::int64_t memory = 0;  // bytes; 0: three quarters of the machine's
  bool explains = false;
  bool is_interactive = false;  // figures of a report
  bool quiet = false;
  RunSettings settings;
  std::string config;  // the file of settings, when one was named
  bool reads_config = true;
  std::string color;             // "auto", "always", "never"; "" when nothing is said
  bool lists_names = false;      // of built-ins
  std::string dump;              // the stage to be shown instead of running
  int status = 0;                // when there is no command
  std::string printed, message;  // help and errors
};

// One row a command: dispatch, help, the parser and the hint for misspelt ones read it. The one without a
// name is the prompt.
struct Command {
  const char* name;
  const char* usage;
  const char* about;
  const char* subject;  // what follows it: "script"; "" for nothing
  bool needs_subject;
  bool takes_many;                                                          // of them
  int (*run)(RealHost& host, TextOutput& output, const CommandLine& line);  // the exit status
};
std::span<const Command> commands();

// One row an option. `take` puts its text into the command line, and returns what is wrong with it or "".
struct Option {
  const char* name;
  const char* commands;  // that have it, between spaces; the prompt is "prompt"; "*" for all
  const char* argument;  // what it takes; "" for nothing
  const char* about;
  std::string (*take)(CommandLine& line, const std::string& text);
  const char* implicit = nullptr;  // the value without an argument, which must then be written with =
  const char* letter = "";         // ",o" for -o
  bool is_advanced = false;        // listed apart from the common ones
  bool is_for_developers() const { return std::string_view(about).starts_with("for developers"); }
  bool has_argument() const { return *argument != '\0'; }
};
std::span<const Option> options();
// "-o, --output FILE" or "    --resume[=WHICH]".
std::string spelling(const Option& option);
bool has_option(const Command& command, const Option& option);

CommandLine parse_command_line(int count, const char* const* arguments);

}  // namespace quill
