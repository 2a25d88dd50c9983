#include "session/session.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/interrupt.h"
#include "base/memory.h"
#include "base/text.h"
#include "base/time_text.h"
#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "files/digest.h"
#include "files/whole_files.h"
#include "language/effects.h"
#include "language/parser.h"
#include "session/build_facts.h"
#include "session/check_values.h"
#include "session/kept_values.h"
#include "value/print.h"

namespace quill {

Session::Session(Host& outside, Output& told, const SessionOptions& options)
    : Context(outside, recorder_, state_),
      options_(options),
      state_(options.seed, options.reused ? &options.reused->module : nullptr),
      machine_(builtins(), *this, *this, options.native, options.reused ? &options.reused->hot : nullptr),
      recorder_(
          told, outside, [this] { return machine_.running_location(); }, options.keeps),
      files_(outside, state_,
             {options.script_folder, options.out_folder, options.stands_for, options.also_read,
              options.also_write}),
      outputs_(recorder_, options.interactive),
      inputs_(outside, recorder_, machine_, options.inputs) {
  auto& record = recorder_.record();
  record.seed = options.seed;
  record.section = options.last_section;
  record.version = QUILL_VERSION;
  record.settings = options.settings;
  begin_settings();
  script_folder = options.script_folder;
  for (std::size_t k = 0; k < state.module.slots.size(); ++k) state.module.slots[k] = Value();
  state.module.declare(kThat);
  if (options.interactive || options.notes_files) files_.keep_versions("");
  if (options.files_from) files_.use_files_of(*options.files_from);
}

Session::~Session() = default;

void Session::begin_settings() {
  const auto& set = options_.settings;
  if (set.digits >= 1 && set.digits <= 17) state.settings.digits = set.digits;
  Figure defaults;
  if (find_theme(set.theme)) defaults.theme = set.theme;
  if (!set.formats.empty()) defaults.formats = set.formats;
  state.settings.figure_defaults = std::make_shared<const Figure>(std::move(defaults));
}

// Checks an entry before it runs: reports warnings, and errors in later statements, so that the earlier ones
// have no effects.
void Session::look_ahead(Tree& tree) const {
  std::map<std::string, AbstractValue> before;
  for (const auto& use : effects_of(*tree.root))
    if (const auto* value = find(use.name)) before.try_emplace(use.name, abstract_value_of(*value));
  const auto first_end = tree.root->kids.empty() ? 0 : tree.root->kid(0).span.end;
  for (auto& finding : check_values(tree, before)) {
    if (!finding.is_error)
      tree.warnings.push_back(std::move(finding.error));
    else if (finding.error.location.span.begin >= first_end)
      tree.errors.push_back(std::move(finding.error));
  }
}

std::shared_ptr<const Function> Session::program_of(const std::shared_ptr<Tree>& tree, Module& module,
                                                    const CompileOptions& compile_options) {
  if (!tree->errors.empty()) return nullptr;
  ModuleNames outer(module, builtins());
  resolve(*tree, outer, compile_options.interactive || compile_options.names_follow);
  if (!tree->errors.empty()) return nullptr;
  auto all_options = compile_options;
  if (options_.explains) all_options.regions = &units_;
  auto program = compile(tree, module, builtins(), all_options);
  if (compile_options.interactive && tree->errors.empty()) look_ahead(*tree);
  if (!tree->errors.empty()) return nullptr;
  std::set<std::string> told;
  for (const auto& warning : tree->warnings) {
    // For repeated texts, only new warnings.
    const auto what = warning.message + std::string(tree->source->text(warning.location.span));
    if (!compile_options.by_statements || !text_warnings_.contains(what)) warn(warning);
    told.insert(what);
  }
  if (compile_options.by_statements) text_warnings_ = std::move(told);
  programs_.push_back(program);
  return program;
}

Session::Script Session::made_ready(const std::string& name, const std::string& text, bool by_statements) {
  note_ = {};
  if (text.size() > (std::size_t{1} << 28)) {
    output.tell(ErrorMet{Error(fmt::format("{} is too large for a script", name))});
    return {};
  }
  const auto names_before = state.module.names.size();
  recorder_.set_script(name, text);
  if (can_reuse_program(name, text)) {
    const auto& known = *options_.reused;
    for (const auto& warning : known.tree->warnings) warn(warning);
    return {known.tree, known.program};
  }
  std::shared_ptr<Tree> tree;
  std::shared_ptr<const Function> program;
  try {
    tree = std::make_shared<Tree>(parse(std::make_shared<Source>(name, text)));
    program = program_of(tree, state.module,
                         {.interactive = options_.interactive,
                          .last_section = options_.last_section,
                          .by_statements = by_statements});
    note_.names = names_used(tree->root->kids);
  } catch (const std::bad_alloc&) {
    tree = std::make_shared<Tree>();
    tree->errors.push_back(memory_error());
  }
  if (!program) {
    for (const auto& error : tree->errors) output.tell(ErrorMet{error});
    // Nothing has run; names that it would have created are removed.
    state.module.forget_after(names_before);
    return {};
  }
  if (!options_.interactive && !knows_inputs(*tree->root)) return {};
  if (auto* reused = options_.reused; reused && !by_statements) {
    reused->name = name;
    reused->text = text;
    reused->section = options_.last_section;
    reused->tree = tree;
    reused->program = program;
  }
  return {tree, program};
}

bool Session::can_reuse_program(const std::string& name, const std::string& text) const {
  const auto* known = options_.reused;
  return known && known->program && known->name == name && known->text == text &&
         known->section == options_.last_section;
}

namespace {

// Runs work that may exhaust memory; false if it did, after calling `tell`.
template <class Work, class Tell>
bool within_memory(const Work& work, const Tell& tell) {
  try {
    return work();
  } catch (const std::bad_alloc&) { tell(); }
  return false;
}

}  // namespace

void Session::tell_memory() {
  drawing.abandon();
  output.tell(ErrorMet{memory_error()});
}

bool Session::run(const std::string& name, const std::string& text) {
  return within_memory(
      [&] {
        const auto script = made_ready(name, text, false);
        return script.program && execute(*script.program, 0);
      },
      [this] { tell_memory(); });
}

std::optional<Session::Script> Session::prepare(const std::string& name, const std::string& text) {
  auto script = made_ready(name, text, true);
  if (!script.program) return std::nullopt;
  return script;
}

bool Session::run_statement(const Script& script, std::size_t k) {
  return within_memory(
      [&] {
        note_ = {};
        note_.names = names_used(std::span(script.tree->root->kids).subspan(k, 1));
        return execute(*script.program, script.program->starts[k]);
      },
      [this] { tell_memory(); });
}

bool Session::execute(const Function& program, std::size_t start) {
  const auto origins = recorder_.origins();
  const auto shown = recorder_.values_told();
  const RandomStates random(state);
  const auto uses = state.random_uses;
  const auto end = [&] {
    note_.shows = recorder_.values_told() != shown;
    note_.uses_random = state.random_uses != uses || RandomStates(state) != random;
    recorder_.add_origins_since(origins, note_);
  };
  try {
    const StopsDeferred not_here(false);
    machine_.run(program, start);
  } catch (const Error& error) {
    drawing.abandon();
    output.tell(ErrorMet{error});
    end();
    note_.interrupted = error.kind == Error::Kind::interrupted;
    return false;
  }
  end();
  return true;
}

void Session::answer_beforehand(const std::vector<std::string>& literals, double time) {
  inputs_.answer_beforehand(literals);
  if (!now_ && time != 0) now_ = time;
}

void Session::set(const std::string& name, Value value) {
  const auto place = static_cast<std::size_t>(state.module.declare(name));
  state.module.slots[place] = std::move(value);
  note_.names.writes.insert(name);
  note_.names.tied.insert(name);  // it is no longer part of an alias
}

Value Session::function_of(const std::string& text, const std::string& name, const std::string& variable) {
  const bool is_named = text.find('(') != std::string::npos &&
                        !trim(std::string_view(text).substr(2, text.find('(') - 2)).empty();
  const auto& target = is_named ? name : variable;
  const auto tree = std::make_shared<Tree>(
      parse(std::make_shared<Source>("the kept " + variable, is_named ? text : variable + " = " + text)));
  const bool is_function = tree->errors.empty() && tree->root->kids.size() == 1 &&
                           (tree->root->kid(0).kind == NodeKind::define ||
                            (tree->root->kid(0).kind == NodeKind::assign &&
                             tree->root->kid(0).assigned_value().kind == NodeKind::function));
  if (!is_function) fail(fmt::format("the text of the function {} is none", variable));
  const auto program = program_of(tree, state.module, {.names_follow = true});
  if (!program) throw Error(tree->errors[0]);
  const auto* before = find(target);
  const auto kept = before ? *before : Value();
  machine_.run(*program);
  const auto place = static_cast<std::size_t>(state.module.slot_of.at(target));
  return std::exchange(state.module.slots[place], kept);
}

bool Session::load_values(const std::string& path) {
  note_ = {};
  try {
    const StopsDeferred not_here(false);
    const auto read = files_.read_anywhere(path);
    note_.read.push_back(read.seen);
    for (const auto& name : restore_values(*this, read.bytes, path)) card(name, *find(name));
    return true;
  } catch (const Error& error) {
    output.tell(ErrorMet{error});
    return false;
  }
}

bool Session::forget(const std::string& name) {
  note_ = {};
  note_.names.writes = {name};
  if (!find(name)) return false;
  note_.names.tied = {name};  // aliases of it are detached
  state.module.slots[static_cast<std::size_t>(state.module.slot_of.at(name))] = Value();
  return true;
}

void Session::take_over(const Step& step) {
  quill::take_over(step, state);
  recorder_.add_origins(step.note);
}

void Session::begin_again() {
  sections_.clear();
  now_.reset();
  recorder_.forget_origins();
  outputs_.forget_warnings();
}

void Session::show(const std::string& label, const Value& value) {
  output.tell(ValueShown{label, value, state.settings.digits});
  state.module.slots[static_cast<std::size_t>(state.module.slot_of.at(kThat))] = plain_value(value);
  note_.makes_that = true;
}

void Session::card(const std::string& name, const Value& value) {
  // A loop without iterations assigned nothing.
  if (shows_cards_ && !value.is(Kind::unset)) output.tell(NameAssigned{name, value});
}

void Session::begin_section(const std::string& title) {
  if (!sections_.insert(title).second && !options_.interactive)
    fail(fmt::format("duplicate section: \"{}\"", title), "section titles must be unique");
  outputs_.close_timings();
  output.tell(SectionBegun{title});
}

bool Session::knows_inputs(const Node& text) {
  if (options_.inputs.empty()) return true;
  InputNames known;
  known.names = {kNow};
  add_inputs(text, known, [&](const std::string& file) {
    std::string used;
    try {
      used = files_.read(script_folder, file).bytes;
    } catch (const Error&) { used.clear(); }  // reported when the file is used
    return parse(std::make_shared<Source>(file, used));
  });
  if (!known.all_seen) return true;
  bool fine = true;
  for (const auto& [name, literal] : options_.inputs) {
    if (known.names.contains(name)) continue;
    const std::vector<std::string> names(known.names.begin(), known.names.end());
    const auto near = nearest_name(name, names);
    output.tell(ErrorMet{Error(fmt::format("the script has no input `{}`", name),
                               near.empty() ? fmt::format("its inputs are {}", list_in_prose(names))
                                            : fmt::format("did you mean {}?", near))});
    fine = false;
  }
  return fine;
}

double Session::now() {
  note_.asks_time = true;
  if (!now_) find_time();
  note_.time = *now_;
  return *now_;
}

void Session::find_time() {
  now_ = host.time_of_day();
  const auto text = time_text(*now_);
  const auto found = inputs_.find(kNow, Value::text(text));
  now_ = parse_time(found.value.text());
  if (!now_)
    fail(fmt::format("the input now must be a date, not \"{}\"", printable(found.value.text())),
         "--set now='\"2026-06-01T12:30\"'");
  recorder_.input({kNow, found.literal, found.from == "default" ? "clock" : found.from});
}

bool Session::check_inputs_used() {
  auto unused = inputs_.unused();
  std::erase(unused, kNow);
  for (const auto& name : unused)
    output.tell(ErrorMet{Error(fmt::format("the script has no input `{}`", name),
                               fmt::format("given {} = … in the script makes one", name))});
  return unused.empty();
}

void Session::tell_summary() { outputs_.tell_summary(); }

Value Session::taken(const std::string& name, Inputs::Found found) {
  recorder_.input({name, found.literal, found.from});
  for (const auto& warning : found.warnings) machine_.warn(warning.message, warning.hint, nullptr);
  return std::move(found.value);
}

Value Session::input(const std::string& name, const Value& fallback, const std::string&) {
  auto found = inputs_.find(name, fallback);
  return taken(name, std::move(found));
}

Value Session::ask(const std::string& name, const Value* fallback) {
  auto found = inputs_.ask(name, fallback);
  if (found.typed) note_.answers.push_back(*found.typed);
  return taken(name, std::move(found));
}

Value Session::use_file(const std::string& name) {
  const auto file = read_file(name);
  const auto &path = file.path, &text = file.bytes;
  const Modules::Running running(modules_, path, name);
  // A file runs once; at the prompt again if it has changed.
  if (const auto used = state.modules.find(path);
      used != state.modules.end() && (!options_.interactive || used->second.text == text))
    return used->second.names;
  recorder_.used(recorded_name(name, path), text);
  const auto tree = std::make_shared<Tree>(parse(std::make_shared<Source>(name, text)));
  const auto made = modules_.make(name);
  const auto program = program_of(tree, made.module, {});
  if (!program) throw Error(tree->errors[0]);
  const Restored folder(script_folder, std::filesystem::path(path).parent_path().string());
  machine_.run(*program);
  state.modules[path] = {text, made.names};
  return made.names;
}

RunFiles::Read Session::read_file(const std::string& name) {
  try {
    auto read = files_.read(script_folder, name);
    const bool is_of_this_step =
        std::any_of(note_.written.begin(), note_.written.end(), [&](const FileSeen& written) {
          return written.path == read.path && written.fingerprint == read.seen.fingerprint;
        });
    if (files_.keeps_versions() && !is_of_this_step) note_.read.push_back(read.seen);
    if (read.is_foreign)
      warn(Error(
          fmt::format("{} was changed outside this session, which still reads its own version", read.path),
          "rename the changed file to read it"));
    return read;
  } catch (const Error&) {
    if (files_.keeps_versions()) note_.read.push_back(files_.unread(script_folder, name));
    throw;
  }
}

void Session::settle_files(const RunFiles::Settling& how) {
  const auto settled = files_.settle(how);
  for (const auto& path : settled.written) output.tell(FileWritten{path});
  for (const auto& path : settled.removed)
    output.tell(HintGiven{fmt::format("{} was deleted, since no entry writes it now", path)});
  for (const auto& path : settled.foreign)
    warn(Error(fmt::format("{} was changed outside this session and is not overwritten", path),
               "the session continues with its own version"));
  for (const auto& path : settled.lost)
    warn(Error(
        fmt::format("{} differs from its version at this entry, which was too large to be cached", path)));
  for (const auto& [path, why] : settled.failed)
    output.tell(ErrorMet{Error(fmt::format("cannot write {}: {}", path, why))});
}

void Session::write_figure(const Figure& figure) {
  // All formats are rendered before any file is written.
  for (const auto& [format, bytes] : outputs_.drawn(figure, recorder_))
    write_output(figure.name + "." + format, bytes);
  note_.draws = true;
  note_.figures.insert(figure.name);
  if (!options_.interactive) state.figure_names.insert(figure.name);
}

// Path of a file in the record: relative to the folder of the script, whichever text named it.
std::string Session::recorded_name(const std::string& name, const std::string& path) const {
  if (std::filesystem::path(name).is_absolute()) return name;
  const auto root = normal_path(options_.script_folder.empty() ? "." : options_.script_folder);
  return std::filesystem::path(normal_path(path)).lexically_relative(root).string();
}

std::string Session::read_input(const std::string& name) {
  auto read = read_file(name);
  if (!read.is_own) recorder_.read(recorded_name(name, read.path), read.bytes);
  return std::move(read.bytes);
}

OpenFilePtr Session::open_input(const std::string& name, std::function<std::string()> digest,
                                std::uint64_t least) {
  try {
    auto opened = files_.open(script_folder, name);
    if (opened.file->size() < least) return nullptr;
    if (!opened.is_own)
      recorder_.read_in_parts(recorded_name(name, opened.path), *opened.file, std::move(digest));
    if (files_.keeps_versions()) note_.read.push_back(opened.seen);
    return opened.file;
  } catch (const Error&) {
    if (files_.keeps_versions()) note_.read.push_back(files_.unread(script_folder, name));
    throw;
  }
}

Value Session::loaded(const std::string& name, const std::string& how,
                      const std::function<Value(std::string bytes)>& read) {
  if (!options_.reused) return read(read_input(name));
  auto file = read_file(name);
  if (file.is_own) return read(std::move(file.bytes));
  auto& cache = options_.reused->loaded;
  const auto fingerprint = fingerprint_of(file.bytes);
  auto* known = cache.find(fingerprint);
  const auto sha256 = known ? known->sha256 : sha256_of(file.bytes);
  recorder_.read(recorded_name(name, file.path), file.bytes.size(), sha256);
  const auto key = extension_of(name) + "\n" + how;
  if (known)
    if (const auto made = known->values.find(key); made != known->values.end()) return made->second;
  const auto warnings = warnings_;
  const auto size = file.bytes.size();
  auto value = read(std::move(file.bytes));
  // A value whose loading gave warnings is loaded again, so that they are repeated.
  if (warnings != warnings_) return value;
  if (!known) known = cache.add(fingerprint, size);
  if (known) {
    known->sha256 = sha256;
    known->values.emplace(key, value);
  }
  return value;
}

std::string Session::path_of_output(const std::string& name) const {
  auto path = files_.path_to_write(name);
  if (options_.keeps == Keeps::everything && path == files_.path_to_write(kRecordName))
    fail(fmt::format("{} is the name of the record of the run", kRecordName), "choose another name");
  return path;
}

void Session::write_output(const std::string& name, std::string_view bytes) {
  const auto path = path_of_output(name);
  const auto written = files_.write(path, bytes);
  recorder_.wrote(name, bytes);
  tell_written(path, written);
}

void Session::make_output(const std::string& name, const FileMaker& maker) {
  const auto path = path_of_output(name);
  FileNote note;
  auto noted = maker;
  noted.made = [&](std::string_view bytes) { note = recorder_.note_of(name, bytes); };
  const auto written = files_.make(path, noted);
  recorder_.wrote(std::move(note));
  tell_written(path, written);
}

void Session::tell_written(const std::string& path, const RunFiles::Written& written) {
  if (files_.keeps_versions()) note_.written.push_back({path, "", written.fingerprint, ""});
  if (!written.is_kept)
    warn(Error(
        fmt::format("no further versions of files are cached in this session: {} is only on disk", path),
        "undo and edit cannot restore it"));
  // Files that exist only in the store are reported once they are written to the disk.
  if (!files_.is_away_from_disk()) output.tell(FileWritten{path});
}

void Session::checked(const Location& location, std::string_view text, bool passed) {
  if (passed) outputs_.count_check();
  recorder_.checked(location, text, passed);
}

const Record& Session::finished_record() {
  describe_build(recorder_.record());
  return recorder_.finished();
}

void add_location(Record& record, const SessionOptions& options) {
  // Path of the script relative to the record, so that both may be moved together.
  if (!options.script_path.empty()) {
    namespace fs = std::filesystem;
    std::error_code error;
    record.environment.script = options.script_path;
    record.environment.script_from_record = fs::absolute(options.script_path, error)
                                                .lexically_proximate(fs::absolute(options.out_folder, error))
                                                .string();
  }
  record.environment.out = options.out_folder;
  record.environment.also_read = options.also_read;
  record.environment.also_write = options.also_write;
}

bool Session::write_record() {
  try {
    finished_record();
    auto& record = recorder_.record();
    add_location(record, options_);
    const auto path = files_.path_to_write(kRecordName);
    files_.write(path, text_of(record));
    return true;
  } catch (const Error& error) {
    output.tell(ErrorMet{error});
    return false;
  }
}

std::shared_ptr<const void> Session::random_state() { return std::make_shared<RandomStates>(state); }

void Session::set_random_state(const std::shared_ptr<const void>& kept) {
  static_cast<const RandomStates*>(kept.get())->restore(state);
}

std::vector<Session::Variable> Session::variables() const {
  std::vector<Variable> out;
  for (const auto& name : state.module.names)
    if (const auto* value = state.module.find(name)) out.push_back({name, card_contents(*value)});
  return out;
}

const Value* Session::find(const std::string& name) const { return state.module.find(name); }

}  // namespace quill
