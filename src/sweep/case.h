// One case of a parameter study: inputs and outcome. Sent between processes, and stored in the study's
// journal, as one line of JSON.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/number.h"

namespace quill {

using Names = std::vector<std::string>;
// Name and text: the literal of an input, or the SHA-256 of a file.
using NamedTexts = std::vector<std::pair<std::string, std::string>>;

struct Case {
  Index number = 0;  // from 1
  NamedTexts inputs;
  std::uint64_t seed = 1;
};

// A number, boolean, text or time computed by a script, as a table field.
struct Collected {
  std::string name, unit;
  std::string field;  // for CSV, quoted if necessary
};

enum class CaseStatus : std::uint8_t { ok, failed, limit };
std::string_view name_of(CaseStatus status);

// Marks the digest of a source read in parts; its stamp follows.
inline const std::string kInParts = "parts ";

struct CaseResult {
  Index number = 0;
  std::string key;  // see Setup::key_of
  CaseStatus status = CaseStatus::ok;
  std::string message;  // error message; for successful cases the first warning
  std::vector<Collected> values;
  std::string digest;  // SHA-256 of the record of the run without its environment
  NamedTexts files;    // files written, relative to its folder
  NamedTexts sources;  // files used and read, relative to the folder of the script
  // Environment.
  double seconds = 0;
  std::string host;
  int tries = 1;
};

// Without line ends. Reading throws Error if a line is damaged.
std::string line_of(const Case& one);
Case case_of(std::string_view line);
std::string line_of(const CaseResult& result);
CaseResult result_of(std::string_view line);

}  // namespace quill
