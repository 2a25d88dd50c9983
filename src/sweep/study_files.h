// Files of a finished study: the table of cases, and the record.
#pragma once

#include <functional>
#include <string>
#include <string_view>

#include "sweep/sweep.h"

namespace quill {

inline constexpr const char* kTableName = "cases.csv";
inline constexpr const char* kStudyName = "sweep.json";
// Start of every record of a study.
inline constexpr std::string_view kStudyStart = "{\n  \"record\": \"eager-quill sweep\"";

// How a study was started, for its record.
struct StudyNote {
  DesignOptions design;
  std::string began;  // ISO 8601, UTC
  double seconds = 0;
  int workers = 1;
  std::string ran_on;  // "local", "mpi", "slurm"
};

// Writes both files. cases.csv has a row for each finished case, in order: case, inputs, collected values,
// status, message; equal results give equal bytes. sweep.json is described by docs/sweep.schema.json. Throws
// Error Kind::hindered if they cannot be written.
void write_study(const Sweep& sweep, const StudyNote& note);

// Contents of a record.
struct StudyRecord {
  std::string version;
  FileNote script, table;
  std::string script_path;         // as given
  std::string script_from_record;  // relative to the folder of the record
  std::string folder;              // current folder of the program
  Setup setup;                     // without the text of the script
  Index count = 0;
  bool is_whole = false;  // its own digest matches
};
// Reads a record and calls `visit` for each case. Throws Error if the text is not such a record, is damaged,
// or has a newer format.
StudyRecord read_study_record(std::string_view text, const std::string& name,
                              const std::function<void(const Case&, const CaseResult&)>& visit);

}  // namespace quill
