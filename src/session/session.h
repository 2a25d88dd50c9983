// A session: compiles and runs texts, from scripts or the prompt, and produces events and files.
#pragma once

#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "base/restored.h"
#include "builtins/context.h"
#include "compiler/compiler.h"
#include "engine/explain.h"
#include "engine/machine.h"
#include "session/inputs.h"
#include "session/modules.h"
#include "session/outputs.h"
#include "session/recorder.h"
#include "session/reused.h"
#include "session/run_files.h"
#include "session/step.h"
#include "value/print.h"

namespace quill {

// Name of the record in the output folder.
inline constexpr const char* kRecordName = "run.json";

struct SessionOptions {
  std::string out_folder = "out";
  std::string script_folder;                                // base of relative file names
  std::string script_path;                                  // path as given, for the record
  std::vector<std::pair<std::string, std::string>> inputs;  // name and literal, from --set
  std::uint64_t seed = 1;
  std::string last_section;  // last section to run; "" for all
  bool interactive = false;  // shows assignments and sets `that`
  std::string stands_for;    // output folder of the run that is being repeated
  Folders also_read, also_write;
  bool explains = false;     // records how expressions were evaluated, see explanation()
  bool notes_files = false;  // records the files of each step, to detect changes; always on at the prompt
  // If not null: reads files in the versions that this session found, and writes nothing to the disk.
  const RunFiles* files_from = nullptr;
  ReusedRun* reused = nullptr;  // state of earlier runs of the same script; outlives the session
  NativeUse native = default_native_use();
  RunSettings settings;
  Keeps keeps = Keeps::nothing;  // how much of the run is recorded
};

// Adds the locations of the script and of the output folder to the environment of a record.
void add_location(Record& record, const SessionOptions& options);

class Session : public Context, public Services {
 public:
  Session(Host& host, Output& output, const SessionOptions& options);
  ~Session() override;

  // Compiles and runs a text with the session's variables. Returns false after reporting an error; variables
  // keep the values they had when it occurred.
  bool run(const std::string& name, const std::string& text);
  // The same in two parts: compile a text, then run its statements one by one. Nothing if compilation
  // reported errors.
  struct Script {
    std::shared_ptr<const Tree> tree;
    std::shared_ptr<const Function> program;
    std::size_t statements() const { return program->starts.size(); }
    std::string_view text(std::size_t k) const { return tree->source->text(tree->root->kids[k]->span); }
  };
  std::optional<Script> prepare(const std::string& name, const std::string& text);
  bool run_statement(const Script& script, std::size_t k);
  // Which array expressions were fused, and why others were not; requires SessionOptions::explains.
  std::string explanation() const { return explained(units_) + machine_.explained_loops(); }
  // Loops with native code.
  const Hot& hot() const { return machine_.hot(); }
  // Dependencies and effects of the last text or statement.
  const StepNote& note() const { return note_; }
  RunFiles& files() { return files_; }
  // Writes and removes files so that the disk matches the state of the session, and reports each change.
  void settle_files(const RunFiles::Settling& how = {});
  // While the result lives, assignments are not shown.
  [[nodiscard]] Restored<bool> without_cards() { return {shows_cards_, false}; }
  // Sets answers to the next questions, and the time of the session, if it is not set yet and `time` is not
  // 0.
  void answer_beforehand(const std::vector<std::string>& literals, double time);
  // Assigns a value to a name, as part of the running step.
  void set(const std::string& name, Value value);
  // The function defined by a text, with or without a name. Throws Error if the text defines none.
  Value function_of(const std::string& text, const std::string& name, const std::string& variable);
  // Loads variables from a file written by :save, as a step. Returns false after reporting an error.
  bool load_values(const std::string& path);
  // Removes a variable; false if it has no value.
  bool forget(const std::string& name);
  // Applies the stored results of a step instead of running it.
  void take_over(const Step& step);
  // Prepares to run a text again from its beginning: resets sections and time.
  void begin_again();
  // Runs a text that is a single expression, as given on the command line.
  bool evaluate(const std::string& text) { return run("expression", text); }
  // Reports an error and returns false if inputs set from outside were not used.
  bool check_inputs_used();
  // Reports the number of warnings and checks.
  void tell_summary();
  // The record of everything that ran so far.
  const Record& finished_record();
  // Writes the record into the output folder. Returns false after reporting an error.
  bool write_record();

  struct Variable {
    std::string name, contents;
  };
  std::vector<Variable> variables() const;
  const Value* find(const std::string& name) const;
  const SessionOptions& options() const { return options_; }
  const std::vector<std::string>& names() const { return state.module.names; }

  // ---- services for built-ins
  Value ask(const std::string& name, const Value* fallback) override;
  double now() override;
  void write_figure(const Figure& figure) override;
  std::string read_input(const std::string& name) override;
  OpenFilePtr open_input(const std::string& name, std::function<std::string()> digest,
                         std::uint64_t least) override;
  Value loaded(const std::string& name, const std::string& how,
               const std::function<Value(std::string bytes)>& read) override;
  void write_output(const std::string& name, std::string_view bytes) override;
  void make_output(const std::string& name, const FileMaker& maker) override;
  std::string provenance(const std::string& file) override { return recorder_.provenance(file); }

  // ---- services for statements
  void show(const std::string& label, const Value& value) override;
  void card(const std::string& name, const Value& value) override;
  void begin_section(const std::string& title) override;
  Value input(const std::string& name, const Value& fallback, const std::string& description) override;
  void close_block() override { close_drawing(); }
  void close_frame(const Value& value) override { drawing.close_frame(inline_text(value)); }
  void warn(const Error& warning) override {
    ++warnings_;
    outputs_.warn(warning);
  }
  void checked(const Location& location, std::string_view text, bool passed) override;
  Value use_file(const std::string& name) override;
  double clock() override { return host.seconds() - recorder_.seconds_spent(); }
  void timed(const Timing& timing) override { outputs_.time(timing); }
  RandomStream& random() override { return Context::random(); }
  std::shared_ptr<const void> random_state() override;
  void set_random_state(const std::shared_ptr<const void>& state) override;

 private:
  std::string path_of_output(const std::string& name) const;
  void tell_written(const std::string& path, const RunFiles::Written& written);
  // Parses and compiles a text; without a program if errors were reported.
  Script made_ready(const std::string& name, const std::string& text, bool by_statements);
  bool can_reuse_program(const std::string& name, const std::string& text) const;
  bool execute(const Function& program, std::size_t start);
  void find_time();
  // The value of an input, which is recorded; warnings about it are reported.
  Value taken(const std::string& name, Inputs::Found found);
  void tell_memory();
  std::string recorded_name(const std::string& name, const std::string& path) const;
  // Resolves the name relative to the folder of the running text; recorded as a dependency.
  RunFiles::Read read_file(const std::string& name);
  void begin_settings();
  // Whether every input set from outside occurs in the text, as far as can be seen; reports those that do
  // not.
  bool knows_inputs(const Node& text);
  void look_ahead(Tree& tree) const;
  std::shared_ptr<const Function> program_of(const std::shared_ptr<Tree>& tree, Module& module,
                                             const CompileOptions& compile_options);
  SessionOptions options_;
  SessionState state_;
  Machine machine_;
  Recorder recorder_;
  RunFiles files_;
  Outputs outputs_;
  Inputs inputs_;
  Modules modules_;
  std::vector<SeenRegion> units_;                          // for explanation()
  std::vector<std::shared_ptr<const Function>> programs_;  // closures may outlive the entry that made them
  std::set<std::string> sections_;
  std::optional<double> now_;
  StepNote note_;
  std::set<std::string> text_warnings_;  // of the last text compiled for running by statements
  bool shows_cards_ = true;
  std::int64_t warnings_ = 0;  // all warnings, including repeated ones that were not shown
};

}  // namespace quill
