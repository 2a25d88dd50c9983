// The record of a run: what went in, what came out, what it was made with. docs/reference/run.schema.json
// says how it is written.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace quill {

// Format versions of records and of the provenance in files; a reader refuses newer ones.
inline constexpr int kRecordForm = 3;
inline constexpr int kProvenanceForm = 2;

// A line of a script; of the script itself when `file` is empty.
struct LineOf {
  std::string file;
  int line = 0;  // 0: none in particular
  bool operator==(const LineOf&) const = default;
};

struct FileNote {
  std::string name;  // as written in the script, or below the output folder
  std::uint64_t size = 0;
  std::string sha256;
  LineOf at;
  // Of an input that is read in parts, whose SHA-256 is that of what was read: its stamp, and what reports
  // the digest while the run goes on.
  std::string stamp{};
  std::function<std::string()> digest_so_far{};
};

struct ShownNote {
  LineOf at;
  std::string how;     // "value", "print", "show"
  std::string source;  // the text of the expression
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
  double seconds = 0;  // among the times
};

// What differs from run to run, or from machine to machine.
struct Environment {
  std::string began;  // ISO 8601, UTC
  double seconds = 0;
  std::string machine;
  std::string folder;              // that the program stood in
  std::string script;              // the path, as it was given; "-" for standard input
  std::string script_from_record;  // the same as seen from the folder of the record
  std::string out;
  std::vector<std::string> also_read, also_write;
  int threads = 0;
};

// What was set for all runs, beside the script.
struct RunSettings {
  std::string theme;  // of figures; "" when not set
  int digits = 0;     // of printed numbers; 0 when not set
  std::vector<std::string> formats;
  bool operator==(const RunSettings&) const = default;
};

struct Record {
  std::string version, build;
  std::vector<std::pair<std::string, std::string>> libraries;  // name, version
  std::vector<std::string> processor;                          // features that matter
  FileNote script;
  std::vector<FileNote> used;
  std::vector<InputNote> inputs;
  std::uint64_t seed = 1;
  RunSettings settings;
  std::string section;  // the last one to run; "" for all
  std::vector<FileNote> read, written;
  std::vector<ShownNote> shown;
  std::string printed_sha256;  // of all that was printed
  std::vector<CheckNote> checks;
  std::vector<WarningNote> warnings;
  std::vector<SectionNote> sections;
  std::string outcome;  // "finished", "failed", "interrupted"
  std::string error;
  LineOf error_at;
  Environment environment;
  // Of a record that was read: whether it says of itself what it holds. Nothing in those of form 1.
  std::optional<bool> is_whole{};
};

// SHA-256 of the record without its environment and what the program was built with: equal for runs with
// equal results.
std::string digest_of_run(const Record& record);
// JSON, a field a line; the environment come last.
std::string text_of(const Record& record);
// Where a file comes from that the run writes: one line of JSON without times and paths of machines.
std::string provenance_of(const Record& so_far, const std::string& file, const LineOf& at);
// The record that such a line stands for, with the file as the only one written.
Record record_of_provenance(std::string_view line, const std::string& name);
// Error when the text is no record, is damaged, or is of a newer form.
Record record_of(std::string_view text, const std::string& name);

}  // namespace quill
