// Tested by entries_test.cpp.
#include "session/entries.h"

#include "base/memory.h"

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

void Entries::make_room() {
  constexpr double share = 0.6;  // of the memory allowed, that old states may be part of
  while (!before_.empty() && memory_share_in_use() > share) before_.pop_front();
}

}  // namespace quill
