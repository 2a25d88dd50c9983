// Converts entries to a script.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/text.h"
#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "language/effects.h"
#include "language/parser.h"
#include "session/entries.h"

namespace quill {

namespace {

template <class Visit>
void for_each_node(const Node& node, const Visit& visit) {
  visit(node);
  for (const auto& kid : node.kids)
    if (kid) for_each_node(*kid, visit);
}

bool is_drawing(const Node& node) {
  return (node.kind == NodeKind::figure || node.kind == NodeKind::extend) && node.header_count() > 0;
}

// Name of the figure that a statement draws or extends, if it is a literal; else "".
std::string figure_of(const Node& statement) {
  if (!is_drawing(statement)) return {};
  const auto& name = statement.header(0).argument_value();
  return name.kind == NodeKind::text && name.kids.size() == 1 && name.kid(0).kind == NodeKind::literal
             ? name.kid(0).text
             : std::string();
}

// The built-in called by a node, if the name refers to one; else null.
const Builtin* called_row(const Node& node) {
  if (node.kind != NodeKind::call || node.callee().kind != NodeKind::name) return nullptr;
  const int row = builtins().find(node.callee().text);
  return row < 0 ? nullptr : &builtins().row(row);
}

// Whether a figure's block only draws, so that without it only the figure is missing.
bool only_draws(const Node& block) {
  static const std::set<std::string_view> others = {"random numbers", "files", "output", "functions",
                                                    "times"};
  bool fine = true;
  for_each_node(block, [&](const Node& node) {
    if (node.kind == NodeKind::expression) {
      const auto* row = called_row(node.shown_value());
      fine = fine && row && row->returns.starts_with("nothing");
    }
    if (node.kind == NodeKind::call) {
      const auto* row = called_row(node);
      fine = fine && row && !others.contains(row->family);
    }
    fine = fine && node.kind != NodeKind::function && node.kind != NodeKind::expect &&
           node.kind != NodeKind::timed && (&node == &block || !is_drawing(node));
  });
  const auto effects = effects_of(block);
  return fine && std::none_of(effects.begin(), effects.end(),
                              [](const NameUse& use) { return use.is_change() || use.name == kThat; });
}

// Processes entries from last to first into pieces of a script.
class Script {
 public:
  // A session may repeat a section; the script has each once, where it first occurs.
  void expect(const Tree& tree) {
    for (const auto& statement : tree.root->kids) {
      if (statement->kind == NodeKind::section) ++sections_[statement->text];
      for_each_node(*statement, [&](const Node& node) {
        if (node.kind == NodeKind::extend && (&node != statement.get() || figure_of(node).empty()))
          drops_figures_ = false;  // may extend any figure
      });
    }
  }

  std::string piece(const std::string& text, const Tree& tree) {
    auto out = text;
    const auto& statements = tree.root->kids;
    for (auto s = statements.rbegin(); s != statements.rend(); ++s)
      if (is_superseded(**s)) out.erase((*s)->span.begin, (*s)->span.end - (*s)->span.begin);
    return out;
  }

 private:
  // Whether a figure is drawn again later, so that the script need not draw it here.
  bool is_superseded(const Node& statement) {
    if (statement.kind == NodeKind::section) return --sections_[statement.text] > 0;
    const auto figure = figure_of(statement);
    if (figure.empty()) return false;
    if (drops_figures_ && drawn_.contains(figure) && only_draws(statement)) return true;
    // A statement that extends a figure needs it.
    if (statement.kind == NodeKind::figure)
      drawn_.insert(figure);
    else
      drawn_.erase(figure);
    return false;
  }

  std::map<std::string, int> sections_;
  std::set<std::string> drawn_;
  bool drops_figures_ = true;
};

// The entry with its answers as defaults of its questions; nothing if they cannot be matched.
std::optional<std::string> with_answers(const std::string& text, const Tree& tree,
                                        const std::vector<std::string>& answers) {
  std::vector<const Node*> questions;
  bool fine = true;
  const auto find = [&](const auto& self, const Node& node, bool is_once) -> void {
    if (const auto* row = called_row(node); row && row->name == "ask") {
      fine = fine && is_once;
      questions.push_back(&node);
    }
    is_once = is_once && node.kind != NodeKind::function && node.kind != NodeKind::comprehension &&
              node.kind != NodeKind::loop_for && node.kind != NodeKind::loop_while &&
              node.kind != NodeKind::each && node.kind != NodeKind::timed;
    for (const auto& kid : node.kids)
      if (kid) self(self, *kid, is_once);
  };
  find(find, *tree.root, true);
  if (!fine || questions.size() != answers.size()) return std::nullopt;
  auto out = text;
  for (auto k = questions.size(); k-- > 0;) {
    const auto& question = *questions[k];
    if (question.argument_count() == 0 || question.argument_count() > 2) return std::nullopt;
    const auto& name = question.argument(0);
    if (question.argument_count() == 2) {
      const auto& fallback = question.argument(1).argument_value().span;
      out.replace(fallback.begin, fallback.end - fallback.begin, answers[k]);
    } else {
      out.insert(name.span.end, ", " + answers[k]);
    }
  }
  return out;
}

}  // namespace

// Whether a file that an entry read has changed for a reader now.
bool Entries::reads_otherwise(const Entry& entry, std::set<std::string>& looked_at, std::string& path) const {
  for (const auto& file : entry.note.read) {
    const bool is_own = std::any_of(done_.begin(), done_.end(), [&](const Entry& other) {
      return !other.failed &&
             std::any_of(other.note.written.begin(), other.note.written.end(), [&](const FileSeen& written) {
               return written.path == file.path && written.fingerprint == file.fingerprint;
             });
    });
    if (is_own || !looked_at.insert(file.path + "\n" + file.fingerprint).second) continue;
    const auto now = session_.host.read_file(file.path);
    if ((now.ok() ? fingerprint_of(now.value) : std::string()) == file.fingerprint) continue;
    path = file.path;
    return true;
  }
  return false;
}

Entries::Written Entries::as_script() const {
  Written out;
  std::map<const Entry*, Tree> trees;
  Script script;
  for (const auto& entry : done_) {
    if (entry.failed || entry.text.starts_with(':')) continue;
    const auto& tree = trees[&entry] = parse(std::make_shared<Source>("entry", entry.text));
    script.expect(tree);
  }
  std::vector<std::string> pieces;  // in reverse order
  for (auto k = done_.size(); k-- > 0;) {
    const auto found = trees.find(&done_[k]);
    if (found == trees.end()) {
      if (!done_[k].failed && done_[k].text.starts_with(kLoad))
        pieces.push_back("# Left out: " + done_[k].text);
      continue;
    }
    auto piece = script.piece(done_[k].text, found->second);
    const auto& answers = done_[k].note.answers;
    if (!answers.empty() && piece == done_[k].text)
      if (auto answered = with_answers(piece, found->second, answers)) piece = std::move(*answered);
    if (!trim(piece).empty()) pieces.push_back(std::move(piece));
  }
  if (const auto seed = session_.options().seed; seed != SessionOptions().seed)
    out.text += fmt::format("seed({})\n", seed);
  for (auto piece = pieces.rbegin(); piece != pieces.rend(); ++piece) out.text += *piece + "\n";
  out.differences = differences(trees);
  const auto tree = std::make_shared<Tree>(parse(std::make_shared<Source>("the script", out.text)));
  Module module;
  module.declare(kThat);
  ModuleNames outer(module, builtins());
  if (tree->errors.empty()) resolve(*tree, outer, false);
  out.errors = tree->errors;
  return out;
}

std::vector<std::string> Entries::differences(const std::map<const Entry*, Tree>& trees) const {
  std::vector<std::string> out;
  std::set<std::string> looked_at;
  for (auto entry = done_.begin(); entry != done_.end(); ++entry) {
    if (entry->failed) continue;
    const auto of_entry = fmt::format("entry {} ", entry->number);
    if (entry->text.starts_with(kLoad))
      out.push_back(of_entry + "loads saved variables, which a script cannot");
    if (entry->text.starts_with(kForget))
      out.push_back(of_entry +
                    fmt::format("deletes {}, which a script cannot", entry->text.substr(kForget.size())));
    const auto tree = trees.find(&*entry);
    if (tree != trees.end() && !entry->note.answers.empty() &&
        !with_answers(entry->text, tree->second, entry->note.answers))
      out.push_back(of_entry + "was answered at the terminal, which a script cannot repeat");
    if (entry->note.asks_time) out.push_back(of_entry + "uses the time of the run, which will differ");
    if (std::string path; reads_otherwise(*entry, looked_at, path))
      out.push_back(of_entry + fmt::format("read {}, which has changed since", path));
  }
  for (const auto& [name, literal] : session_.options().inputs)
    out.push_back(fmt::format("the input {0} was set on the command line: the script needs --set {0}={1}",
                              name, literal));
  return out;
}

}  // namespace quill
