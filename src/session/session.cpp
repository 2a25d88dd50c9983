#include "session/session.h"

#include <fmt/format.h>

#include <filesystem>

#include "base/memory.h"
#include "base/text.h"
#include "base/time_text.h"
#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "files/whole_files.h"
#include "language/parser.h"
#include "value/print.h"

namespace quill {

Session::Session(Host& outside, Output& told, const SessionOptions& options)
    : Context(outside, told, state_),
      options_(options),
      state_(options.seed),
      machine_(builtins(), *this, *this),
      outputs_(outside, told, options.interactive),
      inputs_(outside, told, machine_, options.inputs) {
  out_folder = options.out_folder;
  script_folder = options.script_folder;
  if (options.interactive) state.module.declare("that");
}

Session::~Session() = default;

std::shared_ptr<const Function> Session::program_of(const std::shared_ptr<Tree>& tree, Module& module,
                                                    const CompileOptions& compile_options) {
  if (!tree->errors.empty()) return nullptr;
  ModuleNames outer(module, builtins());
  resolve(*tree, outer, compile_options.interactive);
  if (!tree->errors.empty()) return nullptr;
  auto program = compile(tree, module, builtins(), compile_options);
  if (!tree->errors.empty()) return nullptr;
  for (const auto& warning : tree->warnings) warn(warning);
  programs_.push_back(program);
  return program;
}

bool Session::run(const std::string& name, const std::string& text) {
  if (text.size() > (std::size_t{1} << 28)) {
    output.tell(ErrorMet{Error(fmt::format("{} is too large for a script", name))});
    return false;
  }
  const auto names_before = state.module.names.size();
  std::shared_ptr<Tree> tree;
  std::shared_ptr<const Function> program;
  try {
    tree = std::make_shared<Tree>(parse(std::make_shared<Source>(name, text)));
    program = program_of(tree, state.module, {options_.interactive, options_.last_section});
  } catch (const std::bad_alloc&) {
    tree = std::make_shared<Tree>();
    tree->errors.push_back(memory_error());
  }
  if (!program) {
    for (const auto& error : tree->errors) output.tell(ErrorMet{error});
    // Nothing of it has run, and names that it would have made are forgotten.
    state.module.forget_behind(names_before);
    return false;
  }
  if (!options_.interactive && !knows_inputs(*tree->root)) return false;
  try {
    machine_.run(*program);
  } catch (const Error& error) {
    drawing.abandon();
    output.tell(ErrorMet{error});
    return false;
  }
  return true;
}

void Session::show(const std::string& label, const Value& value) {
  output.tell(ValueShown{label, value, state.settings.digits});
  if (options_.interactive)
    state.module.slots[static_cast<std::size_t>(state.module.places.at("that"))] = plain_value(value);
}

void Session::card(const std::string& name, const Value& value) {
  // A loop that did not run assigned nothing.
  if (!value.is(Kind::unset)) output.tell(NameAssigned{name, value});
}

void Session::begin_section(const std::string& title) {
  if (!sections_.insert(title).second && !options_.interactive)
    fail(fmt::format("the section \"{}\" stands twice", title), "titles of sections are unique");
  outputs_.close_timings();
  output.tell(SectionBegun{title});
}

bool Session::knows_inputs(const Node& text) {
  if (options_.inputs.empty()) return true;
  InputNames known;
  known.names = {kNow};
  add_inputs(text, known, [&](const std::string& file) {
    const auto read = host.read_file(path_below(script_folder, file));
    return parse(std::make_shared<Source>(file, read.ok() ? read.value : std::string()));
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
  if (now_) return *now_;
  now_ = host.time_of_day();
  if (const auto set = inputs_.find(kNow, Value::text(""))) {
    now_ = parse_time(set->text());
    if (!now_)
      fail(fmt::format("the input now is a date, and \"{}\" is none", printable(set->text())),
           "--set now='\"2026-06-01T12:30\"'");
  }
  return *now_;
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

Value Session::input(const std::string& name, const Value& fallback, const std::string&) {
  return inputs_.find(name, fallback).value_or(fallback);
}

Value Session::ask(const std::string& name, const Value* fallback) { return inputs_.ask(name, fallback); }

Value Session::use_file(const std::string& name) {
  const auto path = path_below(script_folder, name);
  const auto text = read_whole(host, path);
  const Modules::Running running(modules_, path, name);
  // A file is run once; at the prompt again when it has changed.
  if (const auto used = state.modules.find(path);
      used != state.modules.end() && (!options_.interactive || used->second.text == text))
    return used->second.names;
  const auto tree = std::make_shared<Tree>(parse(std::make_shared<Source>(name, text)));
  const auto made = modules_.make(name);
  const auto program = program_of(tree, made.module, {});
  if (!program) throw Error(tree->errors[0]);
  struct Folder {
    explicit Folder(std::string& at) : at(at), before(at) {}
    ~Folder() { at = before; }
    Folder(const Folder&) = delete;
    Folder& operator=(const Folder&) = delete;
    std::string& at;
    std::string before;
  } folder(script_folder);
  script_folder = std::filesystem::path(path).parent_path().string();
  machine_.run(*program);
  state.modules[path] = {text, made.names};
  return made.names;
}

void Session::write_figure(const Figure& figure) {
  // All formats are made before any file is touched.
  std::vector<std::pair<std::string, std::string>> files;
  for (auto& [format, bytes] : outputs_.drawn(figure))
    files.emplace_back(output_path(figure.name + "." + format), std::move(bytes));
  for (const auto& [path, bytes] : files) outputs_.write(path, bytes);
  if (!options_.interactive) state.figure_names.insert(figure.name);
}

void Session::write_output(const std::string& path, std::string_view bytes) { outputs_.write(path, bytes); }

std::shared_ptr<const void> Session::random_state() { return std::make_shared<RandomStream>(state.random); }

void Session::set_random_state(const std::shared_ptr<const void>& kept) {
  state.random = *static_cast<const RandomStream*>(kept.get());
}

std::vector<Session::Variable> Session::variables() const {
  std::vector<Variable> out;
  for (const auto& name : state.module.names)
    if (const auto* value = state.module.find(name)) out.push_back({name, card_contents(*value)});
  return out;
}

const Value* Session::find(const std::string& name) const { return state.module.find(name); }

}  // namespace quill
