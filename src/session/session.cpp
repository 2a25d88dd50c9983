#include "session/session.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/interrupt.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "figure/layout.h"
#include "files/store.h"
#include "language/parser.h"
#include "render/render.h"
#include "session/timings.h"

namespace quill {

Session::Session(Host& host, const SessionOptions& options)
    : Context(host), options_(options), machine_(std::make_unique<Machine>(builtins(), *this, *this)) {
  out_folder = options.out_folder;
  script_folder = options.script_folder;
  random = RandomStream(options.seed);
  if (options.interactive) module_.declare("that");
}

Session::~Session() = default;

void Session::tell(const Error& error) {
  if (error.kind == Error::Kind::interrupted)
    host.message(describe(error, "interrupted"));
  else
    host.message(describe(error));
}

bool Session::run(const std::string& name, const std::string& text) {
  if (text.size() > (std::size_t{1} << 28)) {
    tell(Error(fmt::format("{} is too large for a script", name)));
    return false;
  }
  const auto source = std::make_shared<Source>(name, text);
  const auto names_before = module_.names.size();
  // After an error in the text nothing of it has run, and names that it would have made are forgotten.
  const auto forget_new_names = [&] {
    while (module_.names.size() > names_before) {
      module_.places.erase(module_.names.back());
      module_.names.pop_back();
    }
  };
  auto tree = std::make_shared<Tree>(parse(source));
  std::shared_ptr<const Function> program;
  if (tree->errors.empty()) {
    ModuleNames outer(module_, builtins());
    resolve(*tree, outer, options_.interactive);
    if (tree->errors.empty())
      program = compile(tree, module_, builtins(), {options_.interactive, options_.last_section});
  }
  if (!tree->errors.empty()) {
    for (const auto& error : tree->errors) tell(error);
    forget_new_names();
    return false;
  }
  for (const auto& warning : tree->warnings) warn(warning);
  programs_.push_back(program);
  try {
    machine_->run(*program);
  } catch (const Error& error) {
    abandon_blocks();
    tell(error);
    return false;
  }
  return true;
}

bool Session::evaluate(const std::string& text) { return run("expression", text); }

void Session::show(const std::string& label, const Value& value) {
  host.print(labelled(label, value, print_options()) + "\n");
  if (options_.interactive)
    module_.slots[static_cast<std::size_t>(module_.places.at("that"))] = plain_value(value);
}

void Session::card(const std::string& name, const Value& value) {
  // A loop that did not run assigned nothing.
  if (!value.is(Kind::unset)) host.print(quill::card(name, value) + "\n");
}

void Session::begin_section(const std::string& title) {
  if (!sections_.insert(title).second && !options_.interactive)
    fail(fmt::format("the section \"{}\" stands twice", title), "titles of sections are unique");
  close_timings();
  if (!options_.quiet) host.print(fmt::format("\n{}\n", title));
}

void Session::timed(const Timing& timing) {
  timings_.push_back(timing);
  if (!options_.quiet) host.message(timing_line(timing));
  // At the prompt a section has no end to wait for.
  if (options_.interactive && timings_.size() > 1 && !options_.quiet) host.message(timing_table(timings_));
}

void Session::close_timings() {
  if (timings_.size() > 1 && !options_.interactive && !options_.quiet) host.message(timing_table(timings_));
  timings_.clear();
}

bool Session::check_inputs_used() {
  bool fine = true;
  for (const auto& [name, text] : options_.inputs)
    if (!inputs_used_.contains(name)) {
      tell(Error(fmt::format("the script has no input `{}`", name),
                 fmt::format("given {} = … in the script makes one", name)));
      fine = false;
    }
  return fine;
}

void Session::warn(const Error& warning) {
  ++warning_count_;
  // Once for each place: there the same warning may come with other numbers again.
  auto what = warning.message;
  std::erase_if(what, [](char c) { return (c >= '0' && c <= '9') || c == '.'; });
  if (const auto& place = warning.place; place.source)
    what = fmt::format("{}:{}-{}:{}", place.source->name(), place.span.begin, place.span.end, what);
  if (!warned_.insert(what).second || options_.quiet) return;
  host.message(describe(warning, "warning"));
}

void Session::tell_summary() {
  close_timings();
  if (options_.quiet) return;
  if (warning_count_ > 0)
    host.message(fmt::format("{} warning{}\n", warning_count_, warning_count_ == 1 ? "" : "s"));
  if (checks_ > 0) host.message(fmt::format("{} check{} passed\n", checks_, checks_ == 1 ? "" : "s"));
}

void Session::write_figure(const Figure& figure) {
  if (!measurer_) measurer_ = make_text_measurer();
  if (figure.panels.empty())
    fail(fmt::format("the figure \"{}\" holds nothing", figure.name),
         "line(x, y) inside of its block draws a line");
  const auto list = lay_out(figure, *measurer_);
  for (const auto& text : list.warnings) {
    Error warning(fmt::format("figure \"{}\": {}", figure.name, text));
    warn(warning);
  }
  if (!options_.quiet)
    for (const auto& text : list.hints)
      host.message(fmt::format("hint: figure \"{}\": {}\n", figure.name, text));
  // All formats are made before any file is touched.
  std::vector<std::pair<std::string, std::string>> files;
  for (const auto& format : figure.formats)
    files.emplace_back(output_path(figure.name + "." + format), render(list, format, figure.dpi));
  for (const auto& [path, bytes] : files) write_output(path, bytes);
  if (!options_.interactive) figure_names.insert(figure.name);
}

void Session::write_output(const std::string& path, std::string_view bytes) {
  write_whole(host, path, bytes);
  if (!options_.quiet) host.message(fmt::format("wrote {}\n", path));
}

std::vector<Session::Variable> Session::variables() const {
  std::vector<Variable> out;
  for (std::size_t k = 0; k < module_.names.size() && k < module_.slots.size(); ++k)
    if (!module_.slots[k].is(Kind::unset)) out.push_back({module_.names[k], card_contents(module_.slots[k])});
  return out;
}

const Value* Session::find(const std::string& name) const {
  const auto it = module_.places.find(name);
  if (it == module_.places.end() || it->second >= static_cast<int>(module_.slots.size())) return nullptr;
  const auto& value = module_.slots[static_cast<std::size_t>(it->second)];
  return value.is(Kind::unset) ? nullptr : &value;
}

std::vector<std::string> Session::names() const { return module_.names; }

}  // namespace quill
