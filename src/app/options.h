// The command line: tables of commands and options, and the parsed result.
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
// Starts workers for a number of cases.
using CrewMaker =
    std::function<std::unique_ptr<Crew>(const Setup& setup, const CommandLine& line, Index cases)>;

// Options of a parameter study.
struct StudyLine {
  CrewMaker crew;
  std::string runs_on;
  std::string folder = "study";
  std::vector<std::pair<std::string, std::string>> vary;
  std::vector<std::vector<std::string>> together;
  std::vector<std::string> collect;
  std::string table;    // file of cases; "" for none
  std::string numbers;  // cases to verify: "3,7"; "" for all
  std::int64_t samples = 0, repeats = 0;
  std::string sampling = "latin";
  int workers = 0;           // 0: one for each processor
  std::string on = "local";  // or "slurm"
  double limit = 0;          // seconds for a case; 0 for unlimited
  bool keeps = false, again_failed = false, stops_at_error = false, is_dry = false;
  std::string status;              // folder of a study to report on; "" for none
  std::int64_t part = 0;           // part number in a job array, from 1; 0 for all cases
  std::vector<std::string> batch;  // options for sbatch
};

struct CommandLine {
  std::vector<std::string> words;  // arguments after the command, as given
  StudyLine study;
  const Command* command = nullptr;   // null if there is nothing left to do
  std::string subject;                // script, expression or topic
  std::vector<std::string> subjects;  // all of them
  std::string search;
  bool browses = false;  // opens help in a browser
  std::string out = "out";
  std::vector<std::pair<std::string, std::string>> inputs;
  std::uint64_t seed = 1;
  std::string section;  // last section to run; "" for all
  Folders also_read, also_write;
  std::string script;    // replaces the path in a record
  double tolerance = 0;  // relative, for comparing numbers
  bool rerun = false, prov = false, json = false;
  bool record = true;
  std::string file;  // output file
  bool journal = true;
  std::string resume;       // "last", "list", or the number of a session; "" for a new one
  bool native = true;       // compiles hot loops to machine code
  int threads = 0;          // 0: number of processors
  std::int64_t memory = 0;  // bytes; 0: three quarters of the machine's memory
  bool explains = false;
  bool is_interactive = false;  // figures in reports are interactive
  bool quiet = false;
  RunSettings settings;
  std::string config;  // settings file given explicitly
  bool reads_config = true;
  std::string color;             // "auto", "always", "never"; "" if not given
  bool lists_names = false;      // lists names of built-ins
  std::string dump;              // stage to show instead of running
  int status = 0;                // exit status if there is no command
  std::string printed, message;  // help, and error message
};

// One command; used for dispatch, help, parsing and suggestions. The one without a name is the prompt.
struct Command {
  const char* name;
  const char* usage;
  const char* about;
  const char* subject;  // its argument: "script"; "" for none
  bool needs_subject;
  bool takes_many;                                                          // accepts several
  int (*run)(RealHost& host, TextOutput& output, const CommandLine& line);  // returns the exit status
};
std::span<const Command> commands();

// One option. `take` stores its argument in the command line and returns an error message or "".
struct Option {
  const char* name;
  const char* commands;  // commands that have it, separated by spaces; the prompt is "prompt"; "*" for all
  const char* argument;  // name of its argument; "" for none
  const char* about;
  std::string (*take)(CommandLine& line, const std::string& text);
  const char* implicit = nullptr;  // value without an argument, which must then be joined with =
  const char* letter = "";         // ",o" for -o
  bool is_advanced = false;        // listed separately from common ones
  bool is_for_developers() const { return std::string_view(about).starts_with("for developers"); }
  bool has_argument() const { return *argument != '\0'; }
};
std::span<const Option> options();
// "-o, --output FILE" or "    --resume[=WHICH]".
std::string spelling(const Option& option);
bool has_option(const Command& command, const Option& option);

CommandLine parse_command_line(int count, const char* const* arguments);

}  // namespace quill
