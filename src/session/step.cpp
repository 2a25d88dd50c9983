#include "session/step.h"

#include <fmt/format.h>

#include <algorithm>

#include "compiler/compiler.h"
#include "language/effects.h"
#include "session/alike.h"

namespace quill {

namespace {

bool gives_for_certain(const Node& statement) {
  return statement.kind == NodeKind::assign || statement.kind == NodeKind::define ||
         statement.kind == NodeKind::given || statement.kind == NodeKind::use;
}

bool is_inner(const NameUse& use) {
  return use.how == NameUse::How::bound || use.binding.kind == Binding::Kind::local ||
         use.binding.kind == Binding::Kind::captured || use.binding.kind == Binding::Kind::self ||
         use.binding.kind == Binding::Kind::sibling;
}

}  // namespace

NamesUsed names_used(std::span<const NodePtr> statements) {
  using How = NameUse::How;
  NamesUsed out;
  std::set<std::string> known;  // assigned by earlier statements
  for (const auto& statement : statements) {
    const bool only_defines = statement->kind == NodeKind::define && statements.size() == 1;
    std::set<std::string> given;
    const auto read = [&](const std::string& name) {
      if (!known.contains(name)) out.reads.insert(name);
    };
    for (const auto& use : effects_of(*statement)) {
      if (is_inner(use)) continue;
      if (use.how == How::read) {
        if (use.in_function && only_defines)
          out.mentions.insert(use.name);
        else
          read(use.name);
        continue;
      }
      if (use.in_function) continue;
      out.writes.insert(use.name);
      if (use.how == How::aliased || use.how == How::alias) out.tied.insert(use.name);
      if (use.how == How::assigned && gives_for_certain(*statement))
        given.insert(use.name);
      else
        read(use.name);
    }
    known.merge(given);
  }
  return out;
}

namespace {

bool is_shared(const Value* value) { return value && (value->is(Kind::store) || value->is(Kind::alias)); }

// Session names that a function reads, including those read by nested functions.
void add_globals(const Function& function, const Module& module, std::set<std::string>& out) {
  if (function.module != &module) return;
  for (const auto& i : function.code)
    if ((i.op == Op::get_global || i.op == Op::global_early) &&
        static_cast<std::size_t>(i.b) < module.names.size())
      out.insert(module.names[static_cast<std::size_t>(i.b)]);
  for (const auto& inner : function.functions) add_globals(*inner, module, out);
}

class StepComparison {
 public:
  StepComparison(const Step& step, const SessionState& now) : step_(step), now_(now) {}

  bool differs() {
    const auto& names = step_.note.names;
    if (!names.tied.empty()) return true;
    for (const auto& name : names.writes)
      for (const auto* value : {before(name), step_.after->find(now_.module, name), now_.module.find(name)})
        if (is_shared(value)) return true;
    for (const auto& name : names.mentions)
      if ((before(name) == nullptr) != (now_.module.find(name) == nullptr)) return true;
    return std::any_of(names.reads.begin(), names.reads.end(),
                       [this](const std::string& name) { return value_differs(name); }) ||
           setting_differs();
  }

 private:
  const Value* before(const std::string& name) const { return step_.before->find(now_.module, name); }

  // Includes what functions in the value read.
  bool value_differs(const std::string& name) {
    if (!looked_at_.insert(name).second) return false;
    const auto *was = before(name), *is = now_.module.find(name);
    if ((was == nullptr) != (is == nullptr)) return true;
    if (!was) return false;
    if (!alike(*was, *is)) return true;
    std::set<std::string> further;
    for_each_function(*was, [&](const FunctionObject& f) { add_globals(*f.function, now_.module, further); });
    return std::any_of(further.begin(), further.end(),
                       [this](const std::string& next) { return value_differs(next); });
  }

  bool setting_differs() const {
    const auto& was = step_.before->state();
    if (step_.note.shows && was.settings.digits != now_.settings.digits) return true;
    if (step_.note.uses_random && step_.before->random() != RandomStates(now_)) return true;
    const auto sets_defaults = was.settings.figure_defaults != step_.after->state().settings.figure_defaults;
    if ((step_.note.draws || sets_defaults) && was.settings.figure_defaults != now_.settings.figure_defaults)
      return true;
    return ((step_.note.draws || step_.failed) && figures_differ()) || files_in_use_differ();
  }

  // A file runs when it is first used; afterwards only its name matters.
  bool files_in_use_differ() const {
    const auto &was = step_.before->state().modules, &is = now_.modules;
    return std::any_of(step_.note.read.begin(), step_.note.read.end(), [&](const FileSeen& file) {
      const auto before = was.find(file.path), now = is.find(file.path);
      if ((before == was.end()) != (now == is.end())) return true;
      return before != was.end() && before->second.names.identity() != now->second.names.identity();
    });
  }

  // Figure names depend on existing figures, and an extended figure on its previous contents.
  bool figures_differ() const {
    const auto& was = step_.before->state();
    const Surroundings& is = now_;
    if (was.figure_names != is.figure_names) return true;
    return !std::equal(was.figures.begin(), was.figures.end(), is.figures.begin(), is.figures.end(),
                       [this](const auto& a, const auto& b) {
                         return a.first == b.first &&
                                (a.second == b.second || !step_.note.figures.contains(a.first));
                       });
  }

  const Step& step_;
  const SessionState& now_;
  std::set<std::string> looked_at_;
};

}  // namespace

bool would_differ(const Step& step, const SessionState& now, const RunFiles& files) {
  if (!step.before || !step.after || StepComparison(step, now).differs()) return true;
  return std::any_of(step.note.read.begin(), step.note.read.end(),
                     [&](FileSeen file) { return files.has_changed(file); });
}

void take_over(const Step& step, SessionState& now) {
  if (step.failed) return;
  const auto give = [&](const std::string& name) {
    const auto place = static_cast<std::size_t>(now.module.declare(name));
    const auto* value = step.after->find(now.module, name);
    now.module.slots[place] = value ? *value : Value();
  };
  for (const auto& name : step.note.names.writes) give(name);
  if (step.note.makes_that) give(kThat);
  const auto &was = step.before->state(), &is = step.after->state();
  if (was.settings.digits_set != is.settings.digits_set) {
    now.settings.digits = is.settings.digits;
    ++now.settings.digits_set;
  }
  if (was.settings.figure_defaults != is.settings.figure_defaults)
    now.settings.figure_defaults = is.settings.figure_defaults;
  if (step.note.uses_random) {
    step.after->random().restore(now);
    ++now.random_uses;
  }
  for (const auto& file : step.note.written) {
    if (now.files.use_count() > 1) now.files = std::make_shared<FileVersions>(*now.files);
    (*now.files)[normal_path(file.path)] = {file.path, file.fingerprint};
  }
  for (const auto& name : step.note.figures) {
    if (const auto figure = is.figures.find(name); figure != is.figures.end())
      now.figures[name] = figure->second;
    if (is.figure_names.contains(name)) now.figure_names.insert(name);
  }
  for (const auto& [path, used] : is.modules)
    if (!was.modules.contains(path) || was.modules.at(path).names.identity() != used.names.identity())
      now.modules[path] = used;
}

}  // namespace quill
