// What all cases of a study have in common: the script, and how it is run.
#pragma once

#include <cstdint>
#include <string>

#include "session/session.h"
#include "sweep/case.h"

namespace quill {

struct Setup {
  std::string script;       // the path of the script, as it was given
  std::string script_text;  // of it when the study began
  NamedTexts fixed;         // inputs that are the same in all cases
  std::string now;          // the time of all cases, ISO 8601, unless it is among the inputs
  NamedTexts units;         // of inputs, where the script describes them: "decay rate (1/day)"
  Names collect;            // names of values for the table; empty: all numbers, booleans and texts
  std::string folder;       // of the study
  std::string stands_for;   // the folder of the study that is repeated here; "" for none
  bool keeps = false;       // the record and the values of each case in its folder
  std::int64_t memory = 0;  // bytes for the values of a case; 0: as for a run
  int threads = 1;          // of a case
  Folders also_read, also_write;
  RunSettings settings;
  std::string section;
  bool native = true;

  // SHA-256 of what each case depends on besides its own inputs and files: script, fixed inputs, what is
  // collected, settings, version of the program.
  std::string digest() const;
};

// The options of a run of one case, which writes below `out`.
SessionOptions options_of(const Setup& setup, const Case& one, const std::string& out);
// SHA-256 of the digest of the setup, the inputs and the seed: cases with equal keys give equal results as
// long as the files that they read are the same.
std::string key_of(const std::string& setup_digest, const Case& one);
// "cases/000/000012" below the folder of the study: where the files of a case are.
std::string folder_of_case(Index number);

std::string line_of(const Setup& setup);
Setup setup_of(std::string_view line);

}  // namespace quill
