// A run of a script, or a session at the prompt: texts in, printed values and files out.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "builtins/context.h"
#include "compiler/program.h"
#include "figure/text.h"
#include "language/tree.h"

namespace quill {

struct SessionOptions {
  std::string out_folder = "out";
  std::string script_folder;                                // files are read relative to it
  std::vector<std::pair<std::string, std::string>> inputs;  // name and literal, from --set
  std::uint64_t seed = 1;
  std::string last_section;  // run only so far; "": to the end
  bool interactive = false;  // cards after assignments, `that`
  bool quiet = false;        // no paths of figures, no warnings
};

class Session : public Context {
 public:
  Session(Host& host, const SessionOptions& options);
  ~Session() override;

  // Compiles and runs a text in the session's names. False when there was an error, which has been told;
  // names keep what they had.
  bool run(const std::string& name, const std::string& text);
  // A text that is a single expression, as from the command line.
  bool evaluate(const std::string& text);
  // Inputs set from outside that the script did not ask for are an error, told here; false then.
  bool check_inputs_used();
  // The closing count of warnings and checks.
  void tell_summary();

  struct Variable {
    std::string name, contents;
  };
  std::vector<Variable> variables() const;
  const Value* find(const std::string& name) const;
  std::vector<std::string> names() const;

  // Surroundings
  void show(const std::string& label, const Value& value) override;
  void card(const std::string& name, const Value& value) override;
  void begin_section(const std::string& title) override;
  Value input(const std::string& name, const Value& fallback, const std::string& description) override;
  Value ask(const std::string& name, const Value* fallback) override;
  Value use_file(const std::string& name) override;
  void timed(const Timing& timing) override;
  void warn(const Error& warning) override;
  void check_passed() override { ++checks_; }
  void write_figure(const Figure& figure) override;
  void write_output(const std::string& path, std::string_view bytes) override;

 private:
  void tell(const Error& error);
  // The value of a literal of the language, without names, files or calls. Error that calls it `name`.
  Value read_literal(const std::string& name, const std::string& text);
  // The value given from outside, checked against the kind of the default.
  std::optional<Value> value_set(const std::string& name, const Value& fallback);
  // Tells the ratios of the timings of a section, when there are several.
  void close_timings();
  SessionOptions options_;
  Module module_;
  std::unique_ptr<Machine> machine_;
  std::unique_ptr<TextMeasurer> measurer_;
  std::vector<std::shared_ptr<const Function>> programs_;  // closures may outlive the entry that made them
  std::vector<Value> modules_;                             // of used files: closures may outlive their use
  std::set<std::string> warned_;
  std::set<std::string> sections_;
  std::set<std::string> inputs_used_;
  std::vector<Timing> timings_;  // of the section that runs
  struct Used {
    std::string text;
    Value names;
    bool running = false;
  };
  std::map<std::string, Used> used_files_;
  int warning_count_ = 0;
  int checks_ = 0;
};

}  // namespace quill
