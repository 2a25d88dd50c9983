// The record of a run: inputs, outputs, software. The file format is docs/reference/run.schema.json.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace quill {

// Format versions of records and of provenance in files; newer ones are refused.
inline constexpr int kRecordForm = 3;
inline constexpr int kProvenanceForm = 2;

// Line of a script; `file` is empty for the main script.
struct LineOf {
  std::string file;
  int line = 0;  // 0: not tied to a line
  bool operator==(const LineOf&) const = default;
};

struct FileNote {
  std::string name;  // as written in the script, or relative to the output folder
  std::uint64_t size = 0;
  std::string sha256;
  LineOf at;
  // For an input read in parts, whose SHA-256 covers what was read: its stamp, and a function that returns
  // the digest during the run.
  std::string stamp{};
  std::function<std::string()> digest_so_far{};
};

struct ShownNote {
  LineOf at;
  std::string how;     // "value", "print", "show"
  std::string source;  // source text of the expression
  std::string type;
  std::vector<std::int64_t> shape;
  std::string digest;
  std::string text;  // as printed, 80 columns wide
  std::vector<double> numbers;
  bool is_sample = false;
};

struct InputNote {
  std::string name;
  std::string value;  // as a literal of the language
  std::string from;   // "default", "set", "answer", "clock"
};

struct CheckNote {
  LineOf at;
  std::string source;
  std::int64_t passed = 0;
  bool failed = false;
};

struct WarningNote {
  LineOf at;
  std::string message;
  std::int64_t count = 0;
};

struct SectionNote {
  std::string title;
  LineOf at;
  double seconds = 0;  // stored among the times
};

// What differs between runs or machines without influencing results.
struct Environment {
  std::string began;  // ISO 8601, UTC
  double seconds = 0;
  std::string machine;
  std::string folder;              // current folder of the program
  std::string script;              // path as given; "-" for standard input
  std::string script_from_record;  // path relative to the folder of the record
  std::string out;
  std::vector<std::string> also_read, also_write;
  int threads = 0;
};

// Settings that apply to every run, outside of the script.
struct RunSettings {
  std::string theme;  // of figures; "" when not set
  int digits = 0;     // of printed numbers; 0 when not set
  std::vector<std::string> formats;
  bool operator==(const RunSettings&) const = default;
};

struct Record {
  std::string version, build;
  std::vector<std::pair<std::string, std::string>> libraries;  // name, version
  std::vector<std::string> processor;                          // relevant instruction sets
  FileNote script;
  std::vector<FileNote> used;
  std::vector<InputNote> inputs;
  std::uint64_t seed = 1;
  RunSettings settings;
  std::string section;  // last section to run; "" for all
  std::vector<FileNote> read, written;
  std::vector<ShownNote> shown;
  std::string printed_sha256;  // of everything printed
  std::vector<CheckNote> checks;
  std::vector<WarningNote> warnings;
  std::vector<SectionNote> sections;
  std::string outcome;  // "finished", "failed", "interrupted"
  std::string error;
  LineOf error_at;
  Environment environment;
  // For a record that was read: whether its own digest matches. Nothing for records of form 1.
  std::optional<bool> is_whole{};
};

// SHA-256 of the record without environment and software versions: equal for runs with equal results.
std::string digest_of_run(const Record& record);
// JSON with one field per line; the environment comes last.
std::string text_of(const Record& record);
// Provenance of a file that the run writes: one line of JSON without times and paths of the machine.
std::string provenance_of(const Record& so_far, const std::string& file, const LineOf& at);
// The record described by a line of provenance, with `file` as the only file written.
Record record_of_provenance(std::string_view line, const std::string& name);
// Throws Error if the text is not a record, is damaged, or has a newer format.
Record record_of(std::string_view text, const std::string& name);

}  // namespace quill
