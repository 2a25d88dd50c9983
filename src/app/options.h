// The command line.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

namespace quill {

struct CommandLine {
  std::string command;  // "prompt", "run", "eval", "help"; "" when all is said already
  std::string subject;  // the script, the expression or the topic
  std::string search;
  std::string out = "out";
  std::vector<std::pair<std::string, std::string>> inputs;
  std::uint64_t seed = 1;
  std::string section;      // the last one to run; "" for all
  std::int64_t memory = 0;  // bytes; 0: three quarters of the machine's
  bool quiet = false;
  int status = 0;                // when command is ""
  std::string printed, message;  // help and errors
};

CommandLine parse_command_line(int count, const char* const* arguments);

}  // namespace quill
