#include "sweep/study_journal.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>

#include <filesystem>
#include <memory>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "files/digest.h"
#include "files/json_text.h"
#include "session/json_whole.h"

namespace quill {

namespace study_journal {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kDigits = 16;  // of the digest at the beginning of a line

StudyHead head_of(const Json& j) {
  StudyHead head;
  head.version = j.at("version").get<std::string>();
  head.script = j.at("script").get<std::string>();
  head.script_sha256 = j.at("script_sha256").get<std::string>();
  head.setup = j.at("setup").get<std::string>();
  head.now = j.at("now").get<std::string>();
  head.began = j.at("began").get<std::string>();
  head.count = whole<Index>(j.at("count"));
  head.valid = whole<Index>(j.at("valid"));
  return head;
}

// JSON part of a line; nothing if the line is incomplete or damaged.
std::optional<std::string_view> json_in(std::string_view line) {
  if (line.size() < kDigits + 2 || line.back() != '\n' || line[kDigits] != ' ') return std::nullopt;
  const auto json = line.substr(kDigits + 1, line.size() - kDigits - 2);
  if (sha256_of(json).substr(0, kDigits) != line.substr(0, kDigits)) return std::nullopt;
  return json;
}

// Iterates over the lines of a file, each with its line end and offset.
class Lines {
 public:
  Lines(int file, std::uint64_t from) : file_(file), begin_(from) {}
  bool next(std::string& line, std::uint64_t& at) {
    line.clear();
    at = begin_ + position_;
    while (true) {
      const auto end = piece_.find('\n', position_);
      const auto stop = end == piece_.npos ? piece_.size() : end + 1;
      line.append(piece_, position_, stop - position_);
      position_ = stop;
      if (end != piece_.npos) return true;
      if (!refill()) return !line.empty();
    }
  }

 private:
  bool refill() {
    poll_interrupt();
    begin_ += piece_.size();
    position_ = 0;
    piece_.resize(std::size_t{1} << 18);
    const auto n = ::pread(file_, piece_.data(), piece_.size(), static_cast<off_t>(begin_));
    piece_.resize(n > 0 ? static_cast<std::size_t>(n) : 0);
    return n > 0;
  }
  int file_;
  std::string piece_;
  std::uint64_t begin_ = 0;  // offset of the piece in the file
  std::size_t position_ = 0;
};

}  // namespace

}  // namespace study_journal

StudyJournal::StudyJournal(const std::string& folder, const std::string& name)
    : path_((std::filesystem::path(folder) / name).string()) {
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error)
    fail_hindered(fmt::format("cannot create the folder {}: {}", printable(folder), error.message()));
  file_ = Descriptor(::open(path_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666));
  struct stat info {};
  if (!file_.is_open() || ::fstat(file_.get(), &info) != 0)
    fail_hindered(fmt::format("cannot write {}: {}", printable(path_), system_reason()));
  if (!S_ISREG(info.st_mode)) fail(fmt::format("{} is not a regular file", printable(path_)));
  if (::flock(file_.get(), LOCK_EX | LOCK_NB) != 0)
    fail(fmt::format("another program runs the study in {}", printable(folder)),
         fmt::format("eager-quill sweep --status {} shows how far it is", printable(folder)));
  size_ = static_cast<std::uint64_t>(info.st_size);
  // Completes a torn line with a line end, so that later lines are intact.
  char last = '\n';
  if (size_ > 0 && ::pread(file_.get(), &last, 1, info.st_size - 1) == 1 && last != '\n')
    if (::pwrite(file_.get(), "\n", 1, info.st_size) == 1) ++size_;
}

StudyJournal::ReadSoFar StudyJournal::read_lines(int file, const std::string& path, const Readers& readers,
                                                 std::uint64_t from) {
  study_journal::Lines lines(file, from);
  std::string line;
  std::uint64_t at = 0;
  ReadSoFar out{0, from};
  Index& damaged = out.damaged;
  while (lines.next(line, at)) {
    const auto json = study_journal::json_in(line);
    if (line.back() == '\n') out.end = at + line.size();
    if (!json) {
      ++damaged;
      continue;
    }
    try {
      if (!json->starts_with("{\"study\"")) {
        if (readers.result) readers.result(result_of(*json), at);
        continue;
      }
      const auto j = parsed_json(*json);
      if (whole<int>(j.at("study")) > kStudyForm)
        fail_hindered(
            fmt::format("{} was written by a newer version of the program than this one", printable(path)));
      if (readers.head) readers.head(study_journal::head_of(j));
    } catch (const Error& error) {
      if (error.kind != Error::Kind::mistake) throw;
      ++damaged;
    } catch (const std::exception&) { ++damaged; }
  }
  return out;
}

StudyJournal::ReadSoFar StudyJournal::read_file(const std::string& path, const Readers& readers,
                                                std::uint64_t from) {
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
  if (!file.is_open()) fail(fmt::format("cannot read {}: {}", printable(path), system_reason()));
  return read_lines(file.get(), path, readers, from);
}

bool StudyJournal::is_in_use(const std::string& path) {
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
  return file.is_open() && ::flock(file.get(), LOCK_SH | LOCK_NB) != 0;
}

void StudyJournal::begin(const StudyHead& head) {
  append(study_journal::Json{{"study", kStudyForm},
                             {"version", head.version},
                             {"script", head.script},
                             {"script_sha256", head.script_sha256},
                             {"setup", head.setup},
                             {"now", head.now},
                             {"began", head.began},
                             {"count", head.count},
                             {"valid", head.valid}}
             .dump(-1, ' ', false, study_journal::Json::error_handler_t::replace));
}

std::uint64_t StudyJournal::add(const CaseResult& result) { return append(line_of(result)); }

std::uint64_t StudyJournal::append(const std::string& json) {
  const auto line = fmt::format("{} {}\n", sha256_of(json).substr(0, study_journal::kDigits), json);
  std::size_t done = 0;
  while (done < line.size()) {
    const auto n =
        ::pwrite(file_.get(), line.data() + done, line.size() - done, static_cast<off_t>(size_ + done));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) {
      const auto why = system_reason();
      [[maybe_unused]] const auto cut = ::ftruncate(file_.get(), static_cast<off_t>(size_));
      fail_hindered(fmt::format("cannot write {}: {}", printable(path_), why),
                    "finished cases are kept; run the same command to continue");
    }
    done += static_cast<std::size_t>(n);
  }
  return std::exchange(size_, size_ + line.size());
}

CaseResult StudyJournal::at(std::uint64_t place) const {
  std::string line;
  char piece[4096];
  while (line.find('\n') == line.npos) {
    const auto n = ::pread(file_.get(), piece, sizeof piece, static_cast<off_t>(place + line.size()));
    if (n <= 0) break;
    line.append(piece, static_cast<std::size_t>(n));
  }
  line.resize(std::min(line.size(), line.find('\n') + 1));
  const auto json = study_journal::json_in(line);
  if (!json) fail_hindered(fmt::format("{} was changed while the study ran", printable(path_)));
  return result_of(*json);
}

void StudyJournal::flush() { ::fdatasync(file_.get()); }

}  // namespace quill
