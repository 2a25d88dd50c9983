// A run of a script, or a session at the prompt: texts in, events and files out.
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

// The record of a run, below its output folder.
inline constexpr const char* kRecordName = "run.json";

struct SessionOptions {
  std::string out_folder = "out";
  std::string script_folder;                                // files are read relative to it
  std::string script_path;                                  // as it was given, for the record
  std::vector<std::pair<std::string, std::string>> inputs;  // name and literal, from --set
  std::uint64_t seed = 1;
  std::string last_section;  // run only so far; "": to the end
  bool interactive = false;  // cards after assignments, `that`
  std::string stands_for;    // the output folder of the run that is repeated here
  Folders also_read, also_write;
  bool explains = false;     // remembers what becomes of expressions, see explanation()
  bool notes_files = false;  // of steps, to see later whether they have changed; always at the prompt
  // Files are what this one found them to be when its session began, and nothing is written to the disk.
  const RunFiles* files_from = nullptr;
  ReusedRun* reused = nullptr;  // of runs before this one; outlives the session
  NativeUse native = default_native_use();
  RunSettings settings;
  Keeps keeps = Keeps::nothing;  // of the run: for its record, for the provenance of files
};

// Adds to the environment of a record where the script and the output folder are.
void add_location(Record& record, const SessionOptions& options);

class Session : public Context, public Services {
 public:
  Session(Host& host, Output& output, const SessionOptions& options);
  ~Session() override;

  // Compiles and runs a text in the session's names. False when there was an error, which has been reported;
  // names keep what they had.
  bool run(const std::string& name, const std::string& text);
  // The same in two parts: a text made ready, whose statements are then run one by one. Nothing when it has
  // errors, which have been reported.
  struct Script {
    std::shared_ptr<const Tree> tree;
    std::shared_ptr<const Function> program;
    std::size_t statements() const { return program->starts.size(); }
    std::string_view text(std::size_t k) const { return tree->source->text(tree->root->kids[k]->span); }
  };
  std::optional<Script> prepare(const std::string& name, const std::string& text);
  bool run_statement(const Script& script, std::size_t k);
  // Which array expressions were fused, and why others were not; see SessionOptions.
  std::string explanation() const { return explained(units_) + machine_.explained_loops(); }
  // The loops that became machine code.
  const Hot& hot() const { return machine_.hot(); }
  // What the text, or the statement, that ran last asked for and gave.
  const StepNote& note() const { return note_; }
  RunFiles& files() { return files_; }
  // Writes and removes files so that the disk matches the state of the session, and reports each change.
  void settle_files(const RunFiles::Settling& how = {});
  // While what it gives lives, assignments are not shown.
  [[nodiscard]] Restored<bool> without_cards() { return {shows_cards_, false}; }
  // What the next questions are answered with, and the time of the session when it is not known yet and this
  // is not 0.
  void answer_beforehand(const std::vector<std::string>& literals, double time);
  // Gives a name a value, as the step that runs.
  void set(const std::string& name, Value value);
  // The function that a text defines under a name, or without one. Error when it does not.
  Value function_of(const std::string& text, const std::string& name, const std::string& variable);
  // Variables from a file that :save wrote, as a step; false when that failed, which has been reported.
  bool load_values(const std::string& path);
  // Takes the value of a name away; false when it has none.
  bool forget(const std::string& name);
  // Takes what is known of a step for having run it.
  void take_over(const Step& step);
  // For a text that is run again from its beginning: no section has begun, and it is another time.
  void begin_again();
  // A text that is a single expression, as from the command line.
  bool evaluate(const std::string& text) { return run("expression", text); }
  // Inputs set from outside that the script did not ask for are an error, reported here; false then.
  bool check_inputs_used();
  // The closing count of warnings and checks.
  void tell_summary();
  // The record of all that ran so far.
  const Record& finished_record();
  // Writes it into the output folder; false when that failed, which has been reported.
  bool write_record();

  struct Variable {
    std::string name, contents;
  };
  std::vector<Variable> variables() const;
  const Value* find(const std::string& name) const;
  const SessionOptions& options() const { return options_; }
  const std::vector<std::string>& names() const { return state.module.names; }

  // What built-ins ask for.
  Value ask(const std::string& name, const Value* fallback) override;
  double now() override;
  void write_figure(const Figure& figure) override;
  std::string read_input(const std::string& name) override;
  OpenFilePtr open_input(const std::string& name, std::function<std::string()> digest) override;
  Value loaded(const std::string& name, const std::string& how,
               const std::function<Value(std::string bytes)>& read) override;
  void write_output(const std::string& name, std::string_view bytes) override;
  std::string provenance(const std::string& file) override { return recorder_.provenance(file); }

  // What statements ask for.
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
  void checked(const Place& place, std::string_view text, bool passed) override;
  Value use_file(const std::string& name) override;
  double clock() override { return host.seconds() - recorder_.seconds_spent(); }
  void timed(const Timing& timing) override { outputs_.time(timing); }
  RandomStream& random() override { return Context::random(); }
  std::shared_ptr<const void> random_state() override;
  void set_random_state(const std::shared_ptr<const void>& state) override;

 private:
  // Parsed and compiled; without a program when that reported errors.
  Script made_ready(const std::string& name, const std::string& text, bool by_statements);
  bool can_reuse_program(const std::string& name, const std::string& text) const;
  bool execute(const Function& program, std::size_t start);
  void find_time();
  void tell_memory();
  std::string recorded_name(const std::string& name, const std::string& path) const;
  // As seen from the folder of the text that runs; noted.
  RunFiles::Read read_file(const std::string& name);
  void begin_settings();
  // The program of a parsed text in the names of a module; null when the tree got errors.
  // Whether everything set from outside is an input of the text, as far as that can be seen; reported if not.
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
  std::set<std::string> text_warnings_;  // of the text that was made ready last, to be run by statements
  bool shows_cards_ = true;
  std::int64_t warnings_ = 0;  // that were given, also those of a place that has given one
};

}  // namespace quill
