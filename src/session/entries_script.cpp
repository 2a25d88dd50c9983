// Entries as a script. Tested by entries_test.cpp.
#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "builtins/tables.h"
#include "language/effects.h"
#include "language/parser.h"
#include "session/alike.h"
#include "session/entries.h"

namespace quill {

namespace {

constexpr const char* kThat = "that";

bool reads_that(const Node& statement) {
  const auto effects = effects_of(statement);
  return std::any_of(effects.begin(), effects.end(), [](const NameUse& use) {
    return use.name == kThat && use.how != NameUse::How::assigned;
  });
}

// Whether it is shown and becomes `that`: what is known to give nothing is not.
bool is_shown(const Node& statement) {
  if (statement.kind != NodeKind::expression) return false;
  const auto& value = statement.shown_value();
  if (value.kind != NodeKind::call || value.callee().kind != NodeKind::name) return true;
  const int row = builtins().find(value.callee().text);
  return row < 0 || !builtins().row(row).returns.starts_with("nothing");
}

// Gives a name to values that later entries ask for as `that`; `is_wanted` says whether one does, and whether
// this text does.
std::string with_that(const std::string& text, const Tree& tree, bool& is_wanted) {
  auto out = text;
  const auto& statements = tree.root->kids;
  for (auto s = statements.rbegin(); s != statements.rend(); ++s) {
    const auto& statement = **s;
    if (is_wanted && is_shown(statement)) {
      const std::string expression(tree.source->text(statement.span));
      out.replace(statement.span.begin, expression.size(), "that = " + expression + "\n" + kThat);
      is_wanted = false;
    }
    is_wanted = is_wanted || reads_that(statement);
  }
  return out;
}

}  // namespace

std::vector<std::string> Entries::changed_by(std::size_t place) const {
  std::vector<std::string> out;
  if (place < out_of_reach()) return out;
  const auto at = place - out_of_reach();
  const auto after = at + 1 < before_.size() ? before_[at + 1] : state();
  const auto& module = session_.state.module;
  for (const auto& name : done_[place].note.names.writes) {
    const auto *was = before_[at]->find(module, name), *is = after->find(module, name);
    if ((was == nullptr) != (is == nullptr) || (was && !alike(*was, *is))) out.push_back(name);
  }
  return out;
}

std::string Entries::as_script() const {
  std::vector<std::string> uses, others;
  bool is_that_wanted = false;
  for (auto entry = done_.rbegin(); entry != done_.rend(); ++entry) {
    if (entry->text.starts_with(kForget)) continue;
    if (entry->text.starts_with(kLoad)) {
      if (!entry->failed) others.push_back("# Left out: " + entry->text);
      continue;
    }
    if (entry->failed) {
      const auto k = static_cast<std::size_t>(done_.rend() - entry) - 1;
      if (const auto changed = changed_by(k); !changed.empty())
        others.push_back(
            fmt::format("# Left out: an entry that failed, when it had changed {}.", list_in_prose(changed)));
      continue;
    }
    const auto tree = parse(std::make_shared<Source>("entry", entry->text));
    const auto& statements = tree.root->kids;
    const bool only_uses = std::all_of(statements.begin(), statements.end(),
                                       [](const NodePtr& s) { return s->kind == NodeKind::use; });
    if (only_uses && !statements.empty())
      uses.push_back(entry->text);
    else
      others.push_back(with_that(entry->text, tree, is_that_wanted));
  }
  std::string out;
  for (const auto* part : {&uses, &others})
    for (auto text = part->rbegin(); text != part->rend(); ++text) out += *text + "\n";
  return out;
}

}  // namespace quill
