#include "app/redoing.h"

#include "app/sweeping.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <filesystem>

#include "base/descriptor.h"
#include "base/text.h"
#include "files/difference.h"
#include "files/provenance.h"
#include "session/trace.h"
#include "session/verify.h"
#include "sweep/verify_study.h"

namespace quill {

namespace fs = std::filesystem;

namespace {

constexpr int kDiffers = 3;

constexpr std::string_view kScratch = "eager-quill-";

// Removes scratch folders of killed programs, which are no longer locked.
void remove_leftovers(const fs::path& folder) {
  constexpr auto young = std::chrono::minutes(1);  // another program may be about to lock it
  std::error_code error;
  for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
    const auto name = at->path().filename().string();
    if (!name.starts_with(kScratch) || name.size() != kScratch.size() + 6) continue;
    const Descriptor left(::open(at->path().c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
    struct stat info {};
    if (!left.is_open() || ::fstat(left.get(), &info) != 0 || info.st_uid != ::geteuid()) continue;
    std::error_code unknown;
    const auto age = fs::file_time_type::clock::now() - fs::last_write_time(at->path(), unknown);
    if (unknown || age < young || ::flock(left.get(), LOCK_EX | LOCK_NB) != 0) continue;
    fs::remove_all(at->path(), unknown);
  }
}

// A locked folder, removed by the destructor.
class ScratchFolder {
 public:
  ScratchFolder() {
    std::error_code error;
    const auto parent = fs::temp_directory_path(error);
    auto pattern = (parent / (std::string(kScratch) + "XXXXXX")).string();
    if (!error) remove_leftovers(parent);
    if (error || ::mkdtemp(pattern.data()) == nullptr)
      fail(fmt::format("cannot create a folder for the re-run: {}", system_reason()),
           "set TMPDIR to a folder that can be written");
    path_ = pattern;
    lock_ = Descriptor(::open(path_.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (lock_.is_open()) ::flock(lock_.get(), LOCK_EX | LOCK_NB);
  }
  ~ScratchFolder() {
    std::error_code ignored;
    fs::remove_all(path_, ignored);
  }
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;
  const std::string& path() const { return path_; }

 private:
  std::string path_;
  Descriptor lock_;
};

std::string folder_of(const std::string& path) {
  const auto folder = fs::path(path).parent_path().string();
  return folder.empty() ? "." : folder;
}

bool is_of_same_script(std::string_view bytes, const Record& record) {
  try {
    const auto line = provenance_in(bytes);
    return line && record_of_provenance(*line, "").script.name == record.script.name;
  } catch (const Error&) { return false; }
}

RerunOptions rerun_options(const CommandLine& line, const ScratchFolder& scratch) {
  return {line.script, scratch.path(), line.also_read};
}

}  // namespace

namespace {

int verify_cases(RealHost& host, const CommandLine& line, const std::string& path, const std::string& text) {
  const auto& options = line.study;
  CaseChoice choice;
  if (!options.numbers.empty()) choice.cases = ranges_in(options.numbers);
  choice.samples = options.samples;
  auto study = study_to_verify(text, path, choice);
  if (study.folder.empty()) study.folder = ".";
  // Facts about the script for the record.
  Record as_run;
  as_run.script = study.record.script;
  as_run.environment.script = study.record.script_path;
  as_run.environment.script_from_record = study.record.script_from_record;
  as_run.environment.folder = study.record.folder;
  auto& setup = study.record.setup;
  setup.script = line.script.empty() ? script_of(host, as_run, study.folder) : line.script;
  const auto script = host.read_file(setup.script);
  if (!script.ok()) fail(fmt::format("cannot read {}: {}", printable(setup.script), script.reason));
  setup.script_text = script.value;
  const ScratchFolder scratch;
  setup.folder = scratch.path();
  // Files that the script writes to other folders go to the scratch folder too.
  setup.stands_for = study.folder;
  setup.also_read = line.also_read;
  setup.native = line.native;
  setup.threads = std::max(1, line.threads);
  const auto crew = local_crew(setup, line, static_cast<Index>(study.cases.size()));
  const auto verdict = verify_study(host, study, script.value, *crew, path, line.tolerance);
  host.print(verdict.text);
  return verdict.is_same ? 0 : kDiffers;
}

}  // namespace

int verify_record(RealHost& host, TextOutput& output, const CommandLine& line) {
  auto path = line.subject;
  std::error_code error;
  if (fs::is_directory(path, error)) {
    const auto study = fs::path(path) / kStudyName;
    path = (fs::exists(study, error) ? study : fs::path(path) / kRecordName).string();
  }
  const auto text = host.read_file(path);
  if (!text.ok()) fail(fmt::format("cannot read {}: {}", path, text.reason));
  if (text.value.starts_with(kStudyStart)) return verify_cases(host, line, path, text.value);
  const auto before = record_of(text.value, path);
  const auto folder = folder_of(path);
  const auto script = line.script.empty() ? script_of(host, before, folder) : line.script;
  const ScratchFolder scratch;
  const auto again = run_again(host, before, script, folder, rerun_options(line, scratch));
  const auto verdict = compare_runs(host, before, again.record, path,
                                    {folder, scratch.path(), line.also_read}, line.tolerance);
  host.print(verdict.text);
  if (again.record.outcome != before.outcome) output.message(again.messages);
  return verdict.is_same ? 0 : kDiffers;
}

int trace_file(RealHost& host, TextOutput& output, const CommandLine& line) {
  const auto& path = line.subject;
  if (line.prov) {
    const auto text = host.read_file(path);
    if (!text.ok()) fail(fmt::format("cannot read {}: {}", path, text.reason));
    const bool is_record = text.value.starts_with("{\n  \"record\"");
    host.print(prov_json(is_record ? record_of(text.value, path)
                                   : trace(host, path, line.script, line.also_read).record));
    return 0;
  }
  const auto traced = trace(host, path, line.script, line.also_read);
  host.print(traced.text);
  if (!line.rerun) return 0;
  if (traced.script_path.empty())
    fail(fmt::format("the script {} does not exist here", traced.record.script.name),
         "give its path with --script PATH");
  const ScratchFolder scratch;
  const auto& name = traced.record.written[0].name;
  const auto again =
      run_again(host, traced.record, traced.script_path, folder_of(path), rerun_options(line, scratch));
  const auto made =
      host.read_below({scratch.path()}, path_when_redone(scratch.path(), folder_of(path), name));
  if (!made.ok()) {
    output.message(again.messages);
    host.print(
        fmt::format("running {} again did not write {}\n", printable(traced.script_path), printable(name)));
    return kDiffers;
  }
  const auto old = host.read_file(path);
  if (!old.ok()) fail(fmt::format("cannot read {}: {}", path, old.reason));
  const fs::path place(path);
  const auto beside =
      (place.parent_path() / fmt::format("{}.again{}", place.stem().string(), place.extension().string()))
          .string();
  if (const auto there = host.read_file(beside); there.ok() && !is_of_same_script(there.value, traced.record))
    fail(fmt::format("{} exists already and was not made by this script", printable(beside)),
         "move it away, or trace a copy of the figure in another folder");
  const auto written = host.write_file(beside, made.value);
  if (!written.ok()) fail(fmt::format("cannot write {}: {}", beside, written.reason));
  output.tell(FileWritten{beside});
  const auto difference = difference_of(name, old.value, made.value, line.tolerance);
  host.print(difference.is_same ? fmt::format("made again, {} is identical\n", path)
                                : fmt::format("made again, {} differs: {}\n", path, difference.where));
  return difference.is_same ? 0 : kDiffers;
}

}  // namespace quill
