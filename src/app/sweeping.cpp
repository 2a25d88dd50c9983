#include "app/sweeping.h"

#include <fmt/format.h>
#include <sys/prctl.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <filesystem>
#include <thread>

#include "app/commands.h"
#include "app/timings.h"
#include "base/memory.h"
#include "base/parallel.h"
#include "base/text.h"
#include "base/time_text.h"
#include "engine/hot.h"
#include "sweep/local_crew.h"
#include "sweep/study_files.h"
#include "sweep/sweep.h"

namespace quill {

namespace fs = std::filesystem;

namespace sweeping {

namespace {

constexpr Index kMostTold = 3;  // failed cases

int workers_of(const CommandLine& line) {
  return line.study.workers > 0 ? line.study.workers
                                : static_cast<int>(std::max(1U, std::thread::hardware_concurrency()));
}

DesignOptions design_of(const CommandLine& line) {
  DesignOptions out;
  out.vary = line.study.vary;
  out.together = line.study.together;
  out.table = line.study.table;
  out.samples = line.study.samples;
  out.sampling = line.study.sampling;
  out.repeats = line.study.repeats;
  out.seed = line.seed;
  out.script_folder = fs::path(line.subject).parent_path().string();
  out.also_read = line.also_read;
  return out;
}

Setup setup_of(const CommandLine& line, const std::string& text) {
  Setup out;
  out.script = line.subject;
  out.script_text = text;
  out.fixed = line.inputs;
  out.collect = line.study.collect;
  out.folder = line.study.folder;
  out.keeps = line.study.keeps;
  out.memory = line.memory > 0 ? line.memory : usual_memory_ceiling() / workers_of(line);
  out.threads = std::max(1, line.threads);
  out.also_read = line.also_read;
  out.also_write = line.also_write;
  out.settings = line.settings;
  out.section = line.section;
  out.native = line.native;
  return out;
}

std::string cases_in_words(Index n) { return fmt::format("{} {}", grouped(n), n == 1 ? "case" : "cases"); }

std::string outcome_in_words(const SweepCounts& counts) {
  if (counts.failed == 0) return fmt::format("{} finished", cases_in_words(counts.done));
  return fmt::format("{} finished, {} of them failed", cases_in_words(counts.done), grouped(counts.failed));
}

void tell_failed(TextOutput& output, const Sweep& sweep) {
  Index told = 0;
  for (Index number = 1; number <= sweep.counts().total && told < std::min(kMostTold, sweep.counts().failed); ++number) {
    const auto result = sweep.result(number);
    if (!result || result->status == CaseStatus::ok) continue;
    std::string inputs;
    for (const auto& [name, literal] : sweep.design().at(number).inputs)
      inputs += fmt::format("{}{} = {}", inputs.empty() ? "" : ", ", name, literal);
    output.message(fmt::format("  case {} ({}): {}\n", number, shortened(printable(inputs), 60), printable(result->message)));
    ++told;
  }
  if (sweep.counts().failed > told) output.message(fmt::format("  and {} more, see the table\n", grouped(sweep.counts().failed - told)));
}

// Removes what workers that were killed left.
void remove_leftovers(const std::string& folder) {
  std::error_code ignored;
  fs::remove_all(fs::path(folder) / "cases" / ".work", ignored);
  fs::remove(fs::path(folder) / "cases", ignored);  // where it is empty
}

}  // namespace

}  // namespace sweeping

int sweep_script(RealHost& host, TextOutput& output, const CommandLine& line) {
  using namespace sweeping;
  if (line.subject.empty()) return fail_usage(output, "`sweep` needs a script; see eager-quill sweep --help");
  const auto text = host.read_file(line.subject);
  if (!text.ok()) return fail_file(output, fmt::format("cannot read {}: {}", line.subject, text.reason));
  const double began = host.seconds();
  const auto began_at = time_text(std::floor(host.time_of_day()));
  const auto options = design_of(line);
  Design design(host, options);
  StudyJournal journal(line.study.folder);
  remove_leftovers(line.study.folder);
  Sweep sweep(host, setup_of(line, text.value), std::move(design), journal);
  const auto reasons = sweep.restore(line.study.again_failed);
  const auto& counts = sweep.counts();
  if (counts.done < counts.total)
    for (const auto& reason : reasons) output.message(reason + "\n");
  if (counts.before > 0 && !line.quiet)
    output.message(fmt::format("{} of {} are finished already\n", grouped(counts.before), cases_in_words(counts.total)));
  std::optional<Error> stopped;
  const int workers = static_cast<int>(std::min<Index>(workers_of(line), std::max<Index>(1, counts.total - counts.done)));
  if (counts.done < counts.total) try {
      LocalCrew crew(sweep.setup(), {{"/proc/self/exe", kWorkerCommand}, workers, line.study.limit});
      sweep.run(crew, {.stops_at_error = line.study.stops_at_error});
    } catch (const Error& error) { stopped = error; }
  remove_leftovers(line.study.folder);
  StudyNote note{options, began_at, host.seconds() - began, workers, "local"};
  write_study(sweep, note);
  if (!line.quiet) {
    for (const auto* name : {kTableName, kStudyName})
      output.tell(FileWritten{(fs::path(line.study.folder) / name).string()});
    output.message(fmt::format("{} in {}, {}\n", outcome_in_words(counts), duration_in_prose(host.seconds() - began),
                               workers == 1 ? "1 worker" : fmt::format("{} workers", workers)));
  }
  tell_failed(output, sweep);
  if (stopped) {
    output.message(describe(*stopped));
    output.message(fmt::format("{} of {} are finished; run the same command to continue\n", grouped(counts.done), cases_in_words(counts.total)));
  }
  return stopped || counts.failed > 0 || counts.done < counts.total ? 1 : 0;
}

int serve_study(const std::string& parent) {
  // Ctrl-C is for the process that hands out the cases; this one ends when that one does.
  std::signal(SIGINT, SIG_IGN);
  ::prctl(PR_SET_PDEATHSIG, SIGKILL);
  if (std::to_string(::getppid()) != parent) return 1;
  serve_cases(
      kWorkerSocket, [] { return std::make_unique<RealHost>(); },
      [](const Setup& setup) {
        set_thread_count(setup.threads);
        set_memory_ceiling(setup.memory);
        if (!setup.native) default_native_use() = NativeUse::off;
      });
  return 0;
}

}  // namespace quill
