#include "session/watch.h"

#include <algorithm>
#include <filesystem>

#include "base/interrupt.h"
#include "base/memory.h"

namespace quill {

class Watch::Headings : public Output {
 public:
  explicit Headings(Output& told) : told_(told) {}
  void tell(const Event& event) override {
    if (std::holds_alternative<SectionBegun>(event)) {
      waiting_ = event;
      return;
    }
    if (waiting_) told_.tell(*std::exchange(waiting_, std::nullopt));
    told_.tell(event);
  }
  void forget() { waiting_.reset(); }

 private:
  Output& told_;
  std::optional<Event> waiting_;
};

namespace {

SessionOptions with_files_noted(SessionOptions options) {
  options.notes_files = true;
  return options;
}

}  // namespace

Watch::Watch(Host& host, Output& told, const SessionOptions& options, std::string path)
    : host_(host),
      headings_(std::make_unique<Headings>(told)),
      session_(host, *headings_, with_files_noted(options)),
      path_(std::move(path)),
      fresh_(session_.state) {}

Watch::~Watch() = default;

namespace {

// Costs nothing, and later statements need its current location for errors.
bool always_runs(const Node& statement) {
  return statement.kind == NodeKind::section || statement.kind == NodeKind::define;
}

}  // namespace

std::optional<Watch::Round> Watch::round() {
  const StopsDeferred whole;
  const auto text = host_.read_file(path_);
  watched_ = {FileSeen{path_}};
  if (text.ok()) watched_[0] = {path_, host_.stamp(path_), fingerprint_of(text.value), ""};
  if (!text.ok()) {
    session_.output.tell(ErrorMet{Error("cannot read " + path_ + ": " + text.reason)});
    return std::nullopt;
  }
  headings_->forget();
  fresh_.restore(session_.state);
  session_.begin_again();
  const auto script = session_.prepare(std::filesystem::path(path_).filename().string(), text.value);
  if (!script) return std::nullopt;

  std::vector<std::string> before, now;
  for (const auto& step : known_) before.push_back(step.text);
  for (std::size_t k = 0; k < script->statements(); ++k) now.emplace_back(script->text(k));
  const auto old = matched(before, now);
  std::vector<Unit> units;
  for (std::size_t k = 0; k < now.size(); ++k) {
    const bool is_late = old[k] && known_[*old[k]].note.asks_time;
    units.push_back({now[k], old[k], [this, &script, k] { return session_.run_statement(*script, k); },
                     is_late || always_runs(*script->tree->root->kids[k])});
  }
  // Steps without stored state make room first.
  for (std::size_t k = 0; k < known_.size() && memory_share_in_use() > kMemoryForStates; ++k) {
    known_[k].before.reset();
    known_[k].after.reset();
  }
  const double began = host_.seconds();
  ReplayRules rules;
  rules.stops_at_failure = rules.lets_go = true;
  auto replayed = replay(session_, known_, units, rules);
  session_.settle_files({.writes_over = true, .only_written = true});

  Round out;
  out.seconds = host_.seconds() - began;
  out.saved = replayed.saved;
  out.let_go = replayed.let_go;
  out.fine = replayed.done.size() == units.size() && (units.empty() || !replayed.done.back().step.failed);
  std::vector<Step> steps;
  std::size_t behind = 0;  // index of the next old step
  for (std::size_t k = 0; k < replayed.done.size(); ++k) {
    auto& [step, ran] = replayed.done[k];
    if (old[k]) behind = *old[k] + 1;
    out.kept += !ran;
    if (const auto& node = *script->tree->root->kids[k]; ran && !always_runs(node))
      out.ran.push_back({script->tree->source->position(node.span.begin).line, now[k]});
    watched_.insert(watched_.end(), step.note.read.begin(), step.note.read.end());
    if (!step.failed) steps.push_back(std::move(step));
  }
  if (!out.fine)
    steps.insert(steps.end(), known_.begin() + static_cast<std::ptrdiff_t>(behind), known_.end());
  known_ = std::move(steps);
  return out;
}

// Files written by the script itself count as unchanged.
bool Watch::has_changed() {
  const StopsDeferred whole;
  return std::any_of(watched_.begin(), watched_.end(),
                     [this](FileSeen& file) { return session_.files().has_changed_outside(file); });
}

}  // namespace quill
