// One case of a parameter study: what goes in, and what came of it. Both travel between processes, and into
// the journal of the study, as one line of JSON.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/number.h"

namespace quill {

using Names = std::vector<std::string>;
// Name and text: of an input its literal, of a file its SHA-256.
using NamedTexts = std::vector<std::pair<std::string, std::string>>;

struct Case {
  Index number = 0;  // from 1
  NamedTexts inputs;
  std::uint64_t seed = 1;
};

// A number, boolean, text or time that a script computed, as it stands in a table.
struct Collected {
  std::string name, unit;
  std::string field;  // of CSV, in quotes where it needs them
};

enum class CaseStatus : std::uint8_t { ok, failed, limit };
std::string_view name_of(CaseStatus status);

// Begins the digest of a source that is read in parts; its stamp follows.
inline const std::string kInParts = "parts ";

struct CaseResult {
  Index number = 0;
  std::string key;  // see Setup::key_of
  CaseStatus status = CaseStatus::ok;
  std::string message;  // the error; of a case that ended well its first warning
  std::vector<Collected> values;
  std::string digest;  // SHA-256 of the record of the run without its environment
  NamedTexts files;    // that it wrote below its folder
  NamedTexts sources;  // files used and read, as seen from the folder of the script
  // The environment.
  double seconds = 0;
  std::string host;
  int tries = 1;
};

// Lines without their end. Reading throws Error where a line is damaged.
std::string line_of(const Case& one);
Case case_of(std::string_view line);
std::string line_of(const CaseResult& result);
CaseResult result_of(std::string_view line);

}  // namespace quill
