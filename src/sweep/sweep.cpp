#include "sweep/sweep.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <set>

#include "base/interrupt.h"
#include "base/progress.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/digest.h"

namespace quill {

namespace sweep_study {

namespace {

std::uint64_t first_half(const std::string& key) {
  std::uint64_t out = 0;
  for (const char c : key.substr(0, 16))
    out = out * 16 + static_cast<std::uint64_t>(c <= '9' ? c - '0' : (c - 'a' + 10) & 15);
  return out;
}

}  // namespace

}  // namespace sweep_study

std::string rate_in_words(double rate) {
  return rate >= 10 ? grouped(static_cast<Index>(std::llround(rate))) : fmt::format("{:.2g}", rate);
}

std::string text_of(const CaseRanges& ranges) {
  std::string out;
  for (const auto& [first, last] : ranges)
    out += (out.empty() ? "" : ",") +
           (first == last ? fmt::format("{}", first) : fmt::format("{}..{}", first, last));
  return out;
}

CaseRanges ranges_in(const std::string& text) {
  const auto number_in = [&](std::string_view part) {
    const auto number = parse_number(trim(part));
    if (!number || !is_whole(*number) || *number < 1 || *number > kLargestExact)
      fail(fmt::format("--cases takes numbers like 3,7 or 10..20, not `{}`", printable(text)));
    return static_cast<Index>(*number);
  };
  CaseRanges out;
  for (std::size_t at = 0; at <= text.size();) {
    const auto end = std::min(text.find(',', at), text.size());
    const auto part = std::string_view(text).substr(at, end - at);
    const auto dots = part.find("..");
    const Index first = number_in(part.substr(0, dots));
    const Index last = dots == part.npos ? first : number_in(part.substr(dots + 2));
    if (last < first) fail("--cases takes ranges from the smaller number on");
    out.emplace_back(first, last);
    at = end + 1;
  }
  return out;
}

Sweep::Sweep(Host& host, Setup setup, Design design, StudyJournal& journal)
    : host_(host), setup_(std::move(setup)), design_(std::move(design)), journal_(journal) {
  setup_digest_ = setup_.digest();
  counts_.total = design_.count();
  at_.assign(static_cast<std::size_t>(counts_.total), 0);
}

bool Sweep::has_valid_sources(const CaseResult& result, std::string& changed) {
  const auto folder = std::filesystem::path(setup_.script).parent_path().string();
  for (const auto& [name, digest] : result.sources) {
    const auto path = path_below(folder, name);
    const bool is_in_parts = digest.starts_with(kInParts);
    const auto [known, is_new] = digests_.try_emplace((is_in_parts ? kInParts : "") + name);
    if (is_new && is_in_parts) {
      auto folders = setup_.also_read;
      folders.insert(folders.begin(), {folder, ""});
      const auto there = host_.open_below(folders, path);
      known->second = there.ok() ? kInParts + there.value->stamp() : "";
    } else if (is_new) {
      const auto bytes = host_.read_file(path);
      known->second = bytes.ok() ? sha256_of(bytes.value) : "";
    }
    changed = name;
    if (known->second != digest) return false;
  }
  return true;
}

// The folder of a case may contain files of a later run with another script.
bool Sweep::has_files(const CaseResult& result) const {
  const auto folder = std::filesystem::path(setup_.folder) / folder_of_case(result.number);
  return std::all_of(result.files.begin(), result.files.end(), [&](const auto& file) {
    const auto bytes = host_.read_file((folder / file.first).string());
    return bytes.ok() && sha256_of(bytes.value) == file.second;
  });
}

namespace sweep_study {

namespace {

// Offset of the latest result with a key.
struct Entry {
  std::uint64_t key = 0, at = 0;  // first half of the key, offset in the journal
  bool operator<(const Entry& other) const { return key < other.key; }
};

const Entry* last_with(const std::vector<Entry>& entries, const std::string& key) {
  const Entry wanted{first_half(key), 0};
  const auto after = std::upper_bound(entries.begin(), entries.end(), wanted);
  return after == entries.begin() || (after - 1)->key != wanted.key ? nullptr : &*(after - 1);
}

}  // namespace

}  // namespace sweep_study

Names Sweep::restore(bool again_failed) {
  std::vector<sweep_study::Entry> entries;
  std::optional<StudyHead> first, last;
  Index finished = 0;  // by the end of the previous call
  StudyJournal::Readers readers;
  readers.head = [&](const StudyHead& head) {
    if (!first) first = head;
    last = head;
    finished = head.valid;
  };
  readers.result = [&](const CaseResult& result, std::uint64_t at) {
    ++finished;
    entries.push_back({sweep_study::first_half(result.key), at});
  };
  const Index damaged = journal_.read(readers).damaged;
  if (first) setup_.now = first->now;
  if (setup_.now.empty()) setup_.now = time_text(std::floor(host_.time_of_day()));
  std::stable_sort(entries.begin(), entries.end());
  std::map<std::string, Index> changed;
  for (Index number = 1; number <= counts_.total && !entries.empty(); ++number) {
    poll_interrupt_at(static_cast<std::size_t>(number));
    const auto key = key_of(setup_digest_, design_.at(number));
    const auto* entry = sweep_study::last_with(entries, key);
    if (entry == nullptr) continue;
    const auto result = journal_.at(entry->at);
    std::string file;
    if (result.key != key) continue;
    if (!has_valid_sources(result, file)) {
      ++changed[file];
    } else if (!result.files.empty() && (result.number != number || !has_files(result))) {
      ++changed[""];
    } else if (result.status == CaseStatus::ok || !again_failed) {
      at_[static_cast<std::size_t>(number - 1)] = entry->at + 1;
      ++counts_.done;
      counts_.failed += result.status != CaseStatus::ok;
      note_columns(result, number);
    } else {
      tries_[number] = result.tries;
    }
  }
  counts_.before = counts_.done;
  auto out = last ? reasons(*last, finished, changed) : Names();
  if (damaged > 0)
    out.push_back(fmt::format("{} of the journal {} damaged and not used",
                              damaged == 1 ? "1 line" : fmt::format("{} lines", damaged),
                              damaged == 1 ? "is" : "are"));
  journal_.begin({QUILL_VERSION, std::filesystem::path(setup_.script).filename().string(),
                  sha256_of(setup_.script_text), setup_digest_, setup_.now,
                  time_text(std::floor(host_.time_of_day())), counts_.total, counts_.done});
  return out;
}

Names Sweep::reasons(const StudyHead& before, Index finished,
                     const std::map<std::string, Index>& changed) const {
  const auto script = std::filesystem::path(setup_.script).filename().string();
  std::map<std::string, Index> why;
  if (before.setup != setup_digest_ && finished > 0)
    why[before.script_sha256 != sha256_of(setup_.script_text) ? printable(script) + " has changed"
        : before.version != QUILL_VERSION
            ? fmt::format("version {} of the program ran them", printable(before.version))
            : "other options were set"] = finished;
  for (const auto& [file, count] : changed)
    why[file.empty() ? "their files are missing or have changed" : printable(file) + " has changed"] += count;
  Names out;
  for (const auto& [reason, count] : why)
    out.push_back(fmt::format("{} finished {} not used: {}", grouped(count),
                              count == 1 ? "case is" : "cases are", reason));
  return out;
}

void Sweep::finish(CaseResult result) {
  auto& at = at_[static_cast<std::size_t>(result.number - 1)];
  result.key = key_of(setup_digest_, design_.at(result.number));
  if (const auto before = tries_.find(result.number); before != tries_.end())
    result.tries = before->second + 1;
  const bool is_new = at == 0;
  at = journal_.add(result) + 1;
  note_columns(result, result.number);
  counts_.done += is_new;
  counts_.failed += is_new && result.status != CaseStatus::ok;
}

void Sweep::note_columns(const CaseResult& result, Index number) {
  NamedTexts names;
  for (const auto& value : result.values) names.emplace_back(value.name, value.unit);
  const auto [known, is_new] = columns_.try_emplace(std::move(names), number);
  known->second = std::min(known->second, number);
}

NamedTexts Sweep::columns() const {
  std::vector<std::pair<Index, const NamedTexts*>> lists;
  for (const auto& [names, first] : columns_) lists.emplace_back(first, &names);
  std::sort(lists.begin(), lists.end());
  NamedTexts out;
  std::set<std::string> known;
  for (const auto& [first, names] : lists)
    for (const auto& column : *names)
      if (known.insert(column.first).second) out.push_back(column);
  return out;
}

bool Sweep::is_current(const CaseResult& result) {
  std::string changed;
  return result.key == key_of(setup_digest_, design_.at(result.number)) &&
         has_valid_sources(result, changed) && has_files(result);
}

void Sweep::merge(Part& part) {
  StudyJournal::Readers readers;
  readers.head = [&](const StudyHead& head) { part.setup = head.setup; };
  readers.result = [&](const CaseResult& result, std::uint64_t) {
    const bool is_case = result.number >= 1 && result.number <= counts_.total;
    if (is_case && at_[static_cast<std::size_t>(result.number - 1)] != 0) return;
    if (is_case && part.setup == setup_digest_ && is_current(result)) {
      finish(result);
      part.unused.erase(result.number);
    } else {
      part.unused.insert(result.number);
    }
  };
  part.end = StudyJournal::read_file(part.path, readers, part.end).end;
}

CaseRanges Sweep::open() const {
  CaseRanges out;
  for (Index number = 1; number <= counts_.total; ++number) {
    if (at_[static_cast<std::size_t>(number - 1)] != 0) continue;
    if (!out.empty() && out.back().second == number - 1)
      out.back().second = number;
    else
      out.emplace_back(number, number);
  }
  return out;
}

Progress::State Sweep::progress(double began) const {
  const auto fresh = static_cast<double>(counts_.done - counts_.before);
  const double rate = fresh / std::max(1e-9, host_.seconds() - began);
  return {fmt::format("{} of {} cases, {} failed, {} a second", grouped(counts_.done), grouped(counts_.total),
                      grouped(counts_.failed), rate_in_words(rate)),
          static_cast<double>(counts_.done) / static_cast<double>(counts_.total), this};
}

namespace sweep_study {

namespace {

// Iterates over the cases of a part in order.
class Share {
 public:
  explicit Share(const Sweep::Rules& rules, Index total)
      : ranges_(rules.cases.empty() ? CaseRanges{{1, total}} : rules.cases),
        part_(rules.part),
        parts_(rules.parts) {}
  Index size() const {
    Index out = 0;
    for (const auto& [first, last] : ranges_) out += last - first + 1;
    return out / parts_ + 1;
  }
  // The next open case; 0 at the end.
  template <class IsOpen>
  Index next(const IsOpen& is_open) {
    for (; range_ < ranges_.size(); ++range_, within_ = 0) {
      const auto& [first, last] = ranges_[range_];
      while (first + within_ <= last) {
        const Index number = first + within_++;
        if (seen_++ % parts_ == part_ && is_open(number)) return number;
      }
    }
    return 0;
  }

 private:
  CaseRanges ranges_;
  Index part_, parts_;
  std::size_t range_ = 0;
  Index within_ = 0, seen_ = 0;
};

}  // namespace

}  // namespace sweep_study

void Sweep::run(Crew& crew, const Rules& rules) {
  const Progress progress_line([this, began = host_.seconds()] { return std::optional(progress(began)); });
  sweep_study::Share share(rules, counts_.total);
  const auto next_open = [&] {
    return share.next([this](Index number) { return at_[static_cast<std::size_t>(number - 1)] == 0; });
  };
  Index left = share.size(), running = 0;
  bool stops = false;
  Index next = next_open();
  while ((next > 0 && !stops) || running > 0) {
    for (Index room = crew.room(left); room > 0 && next > 0 && !stops; --room) {
      crew.give(design_.at(next));
      ++running;
      --left;
      next = next_open();
    }
    poll_interrupt();
    constexpr double patience = 0.2;
    for (auto& result : crew.wait(patience)) {
      --running;
      stops = stops || (rules.stops_at_error && result.status != CaseStatus::ok);
      finish(std::move(result));
    }
  }
  journal_.flush();
}

std::optional<CaseResult> Sweep::result(Index number) const {
  const auto at = at_[static_cast<std::size_t>(number - 1)];
  if (at == 0) return std::nullopt;
  auto out = journal_.at(at - 1);
  out.number = number;
  return out;
}

}  // namespace quill
