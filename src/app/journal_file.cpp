#include "app/journal_file.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <thread>
#include <tuple>

#include "base/error.h"
#include "base/text.h"

namespace quill {

namespace fs = std::filesystem;

namespace {

constexpr const char* kJournals = "journals";

// Locks a journal; false if another prompt has locked it. Released with the descriptor. Lists of sessions
// take a shared lock for a moment; this waits for it.
bool lock(const Descriptor& file) {
  constexpr int attempts = 100;
  constexpr auto pause = std::chrono::milliseconds(10);
  for (int k = 0; k < attempts; ++k) {
    if (::flock(file.get(), LOCK_EX | LOCK_NB) == 0) return true;
    if (errno != EWOULDBLOCK) return true;  // some file systems do not support locks
    const bool is_looked_at = ::flock(file.get(), LOCK_SH | LOCK_NB) == 0;
    if (!is_looked_at) return false;
    ::flock(file.get(), LOCK_UN);
    std::this_thread::sleep_for(pause);
  }
  return false;
}
bool is_locked(const Descriptor& file) {
  return ::flock(file.get(), LOCK_SH | LOCK_NB) != 0 && errno == EWOULDBLOCK;
}

std::string write_all(int fd, std::string_view bytes) {
  while (!bytes.empty()) {
    const auto n = ::write(fd, bytes.data(), bytes.size());
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return system_reason();
    bytes.remove_prefix(static_cast<std::size_t>(n));
  }
  return {};
}

}  // namespace

Outcome<std::string> state_folder() {
  const char* state = std::getenv("XDG_STATE_HOME");
  const char* home = std::getenv("HOME");
  fs::path folder;
  if (state && *state == '/')
    folder = state;
  else if (home && *home)
    folder = fs::path(home) / ".local" / "state";
  else
    return {{}, "there is no home folder"};
  folder /= "eager-quill";
  std::error_code error;
  fs::create_directories(folder / kJournals, error);
  if (error) return {{}, fmt::format("cannot make {}: {}", (folder / kJournals).string(), error.message())};
  return {folder.string(), {}};
}

Outcome<std::unique_ptr<JournalFile>> JournalFile::begin(Host& host, const JournalHead& head) {
  const auto folder = state_folder();
  if (!folder.ok()) return {nullptr, folder.reason};
  auto stamp = head.began;
  std::replace(stamp.begin(), stamp.end(), ':', '-');
  for (int k = 0;; ++k) {
    const auto path = (fs::path(folder.value) / kJournals /
                       fmt::format("{}-{}{}.jsonl", stamp, ::getpid(), k > 0 ? fmt::format("-{}", k) : ""))
                          .string();
    Descriptor file(::open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600));
    if (!file.is_open() && errno == EEXIST) continue;
    if (!file.is_open()) return {nullptr, fmt::format("cannot write {}: {}", path, system_reason())};
    if (!lock(file)) return {nullptr, fmt::format("{} is locked by another program", path)};
    std::unique_ptr<JournalFile> out(new JournalFile(host, path, std::move(file), 0));
    if (const auto why = out->append(journal_line(head)); !why.empty()) {
      std::error_code error;
      fs::remove(path, error);
      return {nullptr, fmt::format("cannot write {}: {}", path, why)};
    }
    // Makes the name of a new file durable.
    const Descriptor parent(
        ::open((fs::path(folder.value) / kJournals).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (parent.is_open()) ::fsync(parent.get());
    return {std::move(out), {}};
  }
}

Outcome<std::unique_ptr<JournalFile>> JournalFile::go_on(Host& host, const std::string& path,
                                                         std::size_t size, std::size_t read) {
  Descriptor file(::open(path.c_str(), O_WRONLY | O_CLOEXEC));
  if (!file.is_open()) return {nullptr, fmt::format("cannot write {}: {}", path, system_reason())};
  if (!lock(file)) return {nullptr, "another prompt continues this session"};
  struct stat info {};
  if (::fstat(file.get(), &info) != 0 || static_cast<std::size_t>(info.st_size) != read)
    return {nullptr, "another prompt has continued this session since it was read"};
  if (::ftruncate(file.get(), static_cast<off_t>(size)) != 0 || ::lseek(file.get(), 0, SEEK_END) < 0)
    return {nullptr, fmt::format("cannot write {}: {}", path, system_reason())};
  return {std::unique_ptr<JournalFile>(new JournalFile(host, path, std::move(file), size)), {}};
}

std::string JournalFile::append(const std::string& line) {
  auto why = write_all(file_.get(), line);
  if (why.empty() && ::fdatasync(file_.get()) != 0) why = system_reason();
  if (why.empty()) {
    size_ += line.size();
  } else if (::ftruncate(file_.get(), static_cast<off_t>(size_)) != 0 ||
             ::lseek(file_.get(), 0, SEEK_END) < 0) {
    why += fmt::format(", and the change cannot be reverted: {}", system_reason());
  }
  return why;
}

void JournalFile::tell(const JournalEvent& event) {
  waiting_ += journal_line(event);
  const auto why = append(waiting_);
  if (why.empty()) {
    waiting_.clear();
  } else if (!has_failed_) {
    host_.message(
        fmt::format("error: cannot write the journal {}: {}\n  hint: entries are written as soon as it is "
                    "possible; :write saves them as a script\n",
                    path_, why));
  }
  has_failed_ = !why.empty();
}

std::string JournalFile::kept_path(int number) const {
  return fmt::format("{}/{}.h5", fs::path(path_).replace_extension("kept").string(), number);
}

std::string JournalFile::folder_of_files() const {
  return fs::path(path_).replace_extension("files").string();
}

bool JournalFile::keep(int number, std::string_view bytes) {
  return host_.write_file(kept_path(number), bytes).ok();
}

std::optional<std::string> JournalFile::kept(int number) {
  auto read = host_.read_file(kept_path(number));
  return read.ok() ? std::optional(std::move(read.value)) : std::nullopt;
}

std::vector<KeptSession> kept_sessions(Host& host, const std::string& folder_of_states) {
  std::vector<KeptSession> out;
  std::error_code error;
  for (fs::directory_iterator at(fs::path(folder_of_states) / kJournals, error), end; !error && at != end;
       at.increment(error)) {
    if (at->path().extension() != ".jsonl") continue;
    KeptSession kept;
    kept.path = at->path().string();
    const Descriptor file(::open(kept.path.c_str(), O_RDONLY | O_CLOEXEC));
    kept.is_open = file.is_open() && is_locked(file);
    std::error_code unknown;
    kept.written = fs::last_write_time(at->path(), unknown);
    const auto text = host.read_file(kept.path);
    try {
      if (!text.ok()) fail(fmt::format("cannot read {}: {}", kept.path, text.reason));
      const auto journal = read_journal(text.value, kept.path);
      kept.began = journal.head.began;
      kept.folder = journal.head.folder;
      for (const auto& event : journal.events) {
        if (event.kind != JournalEvent::Kind::entry) continue;
        if (kept.entries++ == 0) kept.first_line = event.text.substr(0, event.text.find('\n'));
      }
    } catch (const Error& wrong) { kept.problem = wrong.message; }
    out.push_back(std::move(kept));
  }
  std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) {
    return std::tie(a.began, a.written, a.path) > std::tie(b.began, b.written, b.path);
  });
  return out;
}

std::string text_of(const std::vector<KeptSession>& sessions) {
  if (sessions.empty()) return "no sessions are saved\n";
  std::string out;
  for (std::size_t k = 0; k < sessions.size(); ++k) {
    const auto& s = sessions[k];
    out += s.problem.empty()
               ? fmt::format("{:>4}  {}  {:>3} {}  {}{}\n      {}\n", k + 1, s.began, s.entries,
                             s.entries == 1 ? "entry  " : "entries", s.folder, s.is_open ? "   (open)" : "",
                             s.first_line.empty() ? "no entries" : shortened(s.first_line, 66))
               : fmt::format("{:>4}  {}\n", k + 1, s.problem);
  }
  return out;
}

const KeptSession& chosen_session(const std::vector<KeptSession>& sessions, const std::string& which) {
  std::error_code error;
  const auto here = fs::current_path(error).string();
  const KeptSession* chosen = nullptr;
  if (which != "last") {
    const auto number = static_cast<std::size_t>(std::stoul(which));
    if (number < 1 || number > sessions.size())
      fail(fmt::format("there is no session {}", which), "eager-quill --resume=list lists them");
    chosen = &sessions[number - 1];
  } else {
    for (const auto& s : sessions)
      if (!chosen && s.problem.empty() && !s.is_open && s.folder == here && s.entries > 0) chosen = &s;
    if (!chosen)
      fail(fmt::format("no session of {} is saved", here),
           sessions.empty() ? "" : "eager-quill --resume=list lists the sessions of all folders");
  }
  if (!chosen->problem.empty()) fail(chosen->problem);
  if (chosen->is_open)
    fail("another prompt continues this session", "eager-quill --resume=list lists the others");
  if (chosen->folder != here)
    fail(fmt::format("this session belongs to {}", chosen->folder),
         "change to that folder first: its file names are relative to it");
  return *chosen;
}

}  // namespace quill
