// Observes everything that a run reports, reads and writes, and builds its record.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <string>

#include "base/host.h"
#include "files/digest.h"
#include "session/record.h"
#include "session/step.h"
#include "value/event.h"

namespace quill {

// How much of a run is recorded.
enum class Keeps : std::uint8_t { nothing, origins, everything };

class Recorder : public Output {
 public:
  // Forwards events to `told`. Keeps::origins records only inputs, for the provenance of files. `running`
  // returns the location of the running statement.
  Recorder(Output& told, Host& host, std::function<Location()> running, Keeps keeps);
  ~Recorder() override;

  void tell(const Event& event) override;

  // Facts that no event reports.
  void set_script(const std::string& name, std::string_view text);
  void used(const std::string& name, std::string_view text);
  void read(const std::string& name, std::string_view bytes);
  void read(const std::string& name, std::uint64_t size, const std::string& sha256);
  void read_in_parts(const std::string& name, const OpenFile& file, std::function<std::string()> digest);
  void wrote(const std::string& name, std::string_view bytes);
  // The same in two steps: what is known while there are bytes, and that the file is there.
  FileNote note_of(const std::string& name, std::string_view bytes);
  void wrote(FileNote note);
  void input(const InputNote& note);
  void checked(const Location& location, std::string_view text, bool passed);

  // Number of events that displayed values with the current number of digits.
  std::int64_t values_told() const { return values_told_; }
  // Amount of provenance known, what was added since then, and the same for steps that are not run again.
  struct Origins {
    std::size_t used, read, inputs;
  };
  Origins origins() const { return {record_.used.size(), record_.read.size(), record_.inputs.size()}; }
  void add_origins_since(const Origins& before, StepNote& to) const;
  void add_origins(const StepNote& note);
  void forget_origins();

  // Seconds spent on recording, to be subtracted from timings.
  double seconds_spent() const { return spent_; }
  Keeps keeps() const { return keeps_; }
  // Provenance of a file that is written now; "" if nothing is recorded.
  std::string provenance(const std::string& file) const;
  Record& record() { return record_; }
  // Completes the record at the end of the run.
  const Record& finished();

 private:
  class Stopwatch;
  LineOf line_of(const Location& location) const;
  void note(const ValueShown& e);
  void note(const ValuesPrinted& e);
  void note(const ValueDescribed& e);
  void note(const SectionBegun& e);
  void note(const WarningGiven& e);
  void note(const ErrorMet& e);
  template <class Other>
  void note(const Other&) {}
  void show(const char* how, const std::string& source, const Value& value, const std::string& text);

  Output& told_;
  Host& host_;
  std::function<Location()> running_;
  Keeps keeps_;
  Record record_;
  SourcePtr script_;
  std::string script_name_;
  Sha256 printed_;
  std::map<std::pair<const void*, std::uint32_t>, std::size_t> checks_;  // by location
  std::map<std::string, std::size_t> warnings_;
  double began_ = 0, spent_ = 0;
  std::int64_t values_told_ = 0;
};

}  // namespace quill
