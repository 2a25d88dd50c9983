// Settings shared by all cases of a study.
#pragma once

#include <cstdint>
#include <string>

#include "session/session.h"
#include "sweep/case.h"

namespace quill {

struct Setup {
  std::string script;       // path of the script, as given
  std::string script_text;  // its text when the study began
  NamedTexts fixed;         // inputs that are equal in all cases
  std::string now;          // time of all cases, ISO 8601, unless it is among the inputs
  NamedTexts units;         // units of inputs from their descriptions: "decay rate (1/day)"
  Names collect;            // names of values for the table; empty: all numbers, booleans and texts
  std::string folder;       // of the study
  std::string stands_for;   // folder of the study that is being repeated; "" for none
  bool keeps = false;       // stores the record and the values of each case in its folder
  std::int64_t memory = 0;  // memory limit of a case in bytes; 0: as for a run
  int threads = 1;          // for each case
  Folders also_read, also_write;
  RunSettings settings;
  std::string section;
  bool native = true;

  // SHA-256 of what every case depends on besides its inputs and files: script, fixed inputs, collected
  // names, settings, version of the program.
  std::string digest() const;
};

// Options to run one case with the output folder `out`.
SessionOptions options_of(const Setup& setup, const Case& one, const std::string& out);
// SHA-256 of the setup's digest, the inputs and the seed: cases with equal keys give equal results if the
// files they read are equal.
std::string key_of(const std::string& setup_digest, const Case& one);
// "cases/000/000012": folder of a case relative to that of the study.
std::string folder_of_case(Index number);

std::string line_of(const Setup& setup);
Setup setup_of(std::string_view line);

}  // namespace quill
