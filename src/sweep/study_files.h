// The files that a study leaves: the table of its cases, and its record.
#pragma once

#include <functional>
#include <string>
#include <string_view>

#include "sweep/sweep.h"

namespace quill {

inline constexpr const char* kTableName = "cases.csv";
inline constexpr const char* kStudyName = "sweep.json";
// How a record of a study begins.
inline constexpr std::string_view kStudyStart = "{\n  \"record\": \"eager-quill sweep\"";

// How a study was asked for and run, for its record.
struct StudyNote {
  DesignOptions design;
  std::string began;  // ISO 8601, UTC
  double seconds = 0;
  int workers = 1;
  std::string ran_on;  // "local", "mpi", "slurm"
};

// Writes both files. cases.csv has a row for each finished case, in their order: case, inputs, collected
// values, status and message; equal results give equal bytes. sweep.json is described by
// docs/sweep.schema.json. Error Kind::hindered when they cannot be written.
void write_study(const Sweep& sweep, const StudyNote& note);

// What a record holds of a study.
struct StudyRecord {
  std::string version;
  FileNote script, table;
  std::string script_path;         // as it was given
  std::string script_from_record;  // as seen from the folder of the record
  std::string folder;              // that the program stood in
  Setup setup;                     // without the text of the script
  Index count = 0;
  bool is_whole = false;  // whether it says of itself what it holds
};
// Reads it, and calls `visit` for each case. Error when the text is no such record, is damaged, or is newer.
StudyRecord read_study_record(std::string_view text, const std::string& name,
                              const std::function<void(const Case&, const CaseResult&)>& visit);

}  // namespace quill
