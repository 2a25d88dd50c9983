// Tested by entries_test.cpp.
#include "session/entries.h"

#include <algorithm>

#include "base/memory.h"
#include "builtins/tables.h"
#include "language/effects.h"
#include "language/parser.h"

namespace quill {

bool Entries::run(const std::string& text) {
  undone_.clear();
  after_.clear();
  make_room();
  Snapshot before(session_.state);
  const int number = next_++;
  const bool fine = session_.run("entry " + std::to_string(number), text);
  done_.push_back({number, text, !fine});
  before_.push_back(std::move(before));
  return fine;
}

std::optional<Entries::Entry> Entries::undo() {
  if (before_.empty()) return std::nullopt;
  after_.emplace_back(session_.state);
  before_.back().restore(session_.state);
  before_.pop_back();
  undone_.push_back(std::move(done_.back()));
  done_.pop_back();
  return undone_.back();
}

std::optional<Entries::Entry> Entries::redo() {
  if (undone_.empty()) return std::nullopt;
  before_.emplace_back(session_.state);
  after_.back().restore(session_.state);
  after_.pop_back();
  done_.push_back(std::move(undone_.back()));
  undone_.pop_back();
  return done_.back();
}

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

std::string Entries::as_script() const {
  std::vector<std::string> uses, others;
  bool is_that_wanted = false;
  for (auto entry = done_.rbegin(); entry != done_.rend(); ++entry) {
    if (entry->failed) continue;
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

void Entries::make_room() {
  constexpr double share = 0.6;  // of the memory allowed, that old states may be part of
  while (!before_.empty() && memory_share_in_use() > share) before_.pop_front();
}

}  // namespace quill
