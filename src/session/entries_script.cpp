// Entries as a script. Tested by entries_test.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

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

// The name of the figure that a statement draws or adds to, where it is written as a text; "" otherwise.
std::string figure_of(const Node& statement) {
  const bool draws = statement.kind == NodeKind::figure || statement.kind == NodeKind::extend;
  if (!draws || statement.header_count() == 0) return {};
  const auto& name = statement.header(0).argument_value();
  return name.kind == NodeKind::text && name.kids.size() == 1 && name.kid(0).kind == NodeKind::literal
             ? name.kid(0).text
             : std::string();
}

bool gives_names(const Node& statement) {
  const auto effects = effects_of(statement);
  return std::any_of(effects.begin(), effects.end(),
                     [](const NameUse& use) { return use.is_change() && !use.in_function; });
}

// Entries from the last one to the first, as pieces of a script.
class Script {
 public:
  // A session may begin a section again, a script has each once, where it first stands.
  void expect(const Tree& tree) {
    for (const auto& statement : tree.root->kids)
      if (statement->kind == NodeKind::section) ++sections_[statement->text];
  }

  std::string piece(const std::string& text, const Tree& tree) {
    auto out = text;
    const auto& statements = tree.root->kids;
    for (auto s = statements.rbegin(); s != statements.rend(); ++s) {
      const auto& statement = **s;
      const std::string written(tree.source->text(statement.span));
      if (is_superseded(statement)) {
        out.erase(statement.span.begin, written.size());
        continue;
      }
      if (is_that_wanted_ && is_shown(statement)) {
        out.replace(statement.span.begin, written.size(), "that = " + written + "\n" + kThat);
        is_that_wanted_ = false;
      }
      is_that_wanted_ = is_that_wanted_ || reads_that(statement);
    }
    return out;
  }

 private:
  // A figure that is drawn anew later: a script draws each once.
  bool is_superseded(const Node& statement) {
    if (statement.kind == NodeKind::section) return --sections_[statement.text] > 0;
    const auto figure = figure_of(statement);
    if (figure.empty()) return false;
    if (drawn_.contains(figure)) return !gives_names(statement);
    if (statement.kind == NodeKind::figure) drawn_.insert(figure);
    return false;
  }

  std::map<std::string, int> sections_;
  std::set<std::string> drawn_;
  bool is_that_wanted_ = false;
};

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
  std::map<const Entry*, Tree> trees;
  Script script;
  for (const auto& entry : done_) {
    if (entry.failed || entry.text.starts_with(':')) continue;
    const auto& tree = trees[&entry] = parse(std::make_shared<Source>("entry", entry.text));
    script.expect(tree);
  }
  std::vector<std::string> uses, others;  // the last one first
  for (auto k = done_.size(); k-- > 0;) {
    const auto& entry = done_[k];
    const auto found = trees.find(&entry);
    if (found == trees.end()) {
      if (auto note = left_out_note(k); !note.empty()) others.push_back(std::move(note));
      continue;
    }
    const auto& statements = found->second.root->kids;
    const bool only_uses =
        !statements.empty() && std::all_of(statements.begin(), statements.end(),
                                           [](const NodePtr& s) { return s->kind == NodeKind::use; });
    if (only_uses)
      uses.push_back(entry.text);
    else if (auto piece = script.piece(entry.text, found->second); !trim(piece).empty())
      others.push_back(std::move(piece));
  }
  std::string out;
  for (const auto* part : {&uses, &others})
    for (auto text = part->rbegin(); text != part->rend(); ++text) out += *text + "\n";
  return out;
}

std::string Entries::left_out_note(std::size_t place) const {
  const auto& entry = done_[place];
  if (!entry.failed) return entry.text.starts_with(kLoad) ? "# Left out: " + entry.text : std::string();
  const auto changed = changed_by(place);
  return changed.empty() ? std::string()
                         : fmt::format("# Left out: an entry that failed, when it had changed {}.",
                                       list_in_prose(changed));
}

}  // namespace quill
