#include "app/sweeping.h"

#include <fmt/format.h>
#include <sys/prctl.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <thread>

#include "app/commands.h"
#include "app/slurm.h"
#include "app/timings.h"
#include "base/interrupt.h"
#include "base/memory.h"
#include "base/parallel.h"
#include "base/text.h"
#include "base/time_text.h"
#include "engine/hot.h"
#include "session/check.h"
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

int workers_for(const CommandLine& line, Index cases) {
  return static_cast<int>(std::min<Index>(workers_of(line), std::max<Index>(1, cases)));
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
  for (Index number = 1; number <= sweep.counts().total && told < std::min(kMostTold, sweep.counts().failed);
       ++number) {
    const auto result = sweep.result(number);
    if (!result || result->status == CaseStatus::ok) continue;
    std::string inputs;
    for (const auto& [name, literal] : sweep.design().at(number).inputs)
      inputs += fmt::format("{}{} = {}", inputs.empty() ? "" : ", ", name, literal);
    output.message(fmt::format("  case {} ({}): {}\n", number, shortened(printable(inputs), 60),
                               printable(result->message)));
    ++told;
  }
  if (sweep.counts().failed > told)
    output.message(fmt::format("  and {} more, see the table\n", grouped(sweep.counts().failed - told)));
}

// Whether the process that owns a worker's folder, "host-process", is alive on this machine.
bool is_of_living(const std::string& worker) {
  char host[256] = "";
  ::gethostname(host, sizeof host - 1);
  const auto dash = worker.rfind('-');
  const auto process = parse_number(dash == worker.npos ? "" : worker.substr(dash + 1));
  if (!process || worker.substr(0, dash) != host) return true;
  // A zombie process has an empty command line.
  std::ifstream words(fmt::format("/proc/{:.0f}/cmdline", *process), std::ios::binary);
  return std::string(std::istreambuf_iterator<char>(words), {}).find(kWorkerCommand) != std::string::npos;
}

// Removes files left by killed workers of this machine; with `all`, if no other program is working here,
// those of other machines too.
void remove_leftovers(const std::string& folder, bool all = false) {
  std::error_code ignored;
  const auto work = fs::path(folder) / "cases" / ".work";
  for (fs::directory_iterator at(work, ignored), end; !ignored && at != end; at.increment(ignored)) {
    std::error_code unknown;
    if (all || !is_of_living(at->path().filename().string())) fs::remove_all(at->path(), unknown);
  }
  fs::remove(work, ignored);  // if they are empty
  fs::remove(fs::path(folder) / "cases", ignored);
}

// Refuses a folder with files of these names that do not belong to a study.
void check_folder(const std::string& folder) {
  std::error_code error;
  if (fs::exists(fs::path(folder) / kJournalName, error)) return;
  for (const auto* name : {kTableName, kStudyName, "cases"})
    if (fs::exists(fs::path(folder) / name, error))
      fail(fmt::format("{} exists and is not of a study", printable((fs::path(folder) / name).string())),
           "--out writes the study to another folder");
}

}  // namespace

}  // namespace sweeping

namespace sweeping {

namespace {

// Units in the descriptions of inputs: "m" of "depth of the sensor (m)".
NamedTexts units_of_inputs(RealHost& host, const Setup& setup) {
  NamedTexts out;
  for (const auto& input : check_script(host, setup.script, setup.script_text).parameters) {
    const auto& text = input.description;
    const auto begin = text.rfind(" (");
    if (begin != text.npos && text.ends_with(')'))
      out.emplace_back(input.name, text.substr(begin + 2, text.size() - begin - 3));
  }
  return out;
}

// Whether the script can be compiled and has the inputs that vary; reported if not.
bool is_ready(RealHost& host, TextOutput& output, const Setup& setup, const Design& design) {
  Session session(host, output, options_of(setup, design.at(1), setup.folder));
  return session.prepare(fs::path(setup.script).filename().string(), setup.script_text).has_value();
}

// Runs the open cases; returns the error that ended the run, if any.
std::optional<Error> run_cases(Sweep& sweep, const CommandLine& line, int& workers) {
  try {
    const auto crew = line.study.crew(sweep.setup(), line, sweep.counts().total - sweep.counts().done);
    workers = crew->workers();
    sweep.run(*crew, {.stops_at_error = line.study.stops_at_error});
    return std::nullopt;
  } catch (const Error& error) { return error; }
}

std::string time_in_words(const StudyNote& note) {
  if (note.workers == 0) return "";
  return fmt::format(" in {}, {} {}", duration_in_prose(note.seconds), note.workers,
                     note.workers == 1 ? "worker" : "workers");
}

int tell_end(TextOutput& output, const Sweep& sweep, const CommandLine& line, const StudyNote& note,
             const std::optional<Error>& stopped) {
  const auto& counts = sweep.counts();
  if (!line.quiet) {
    for (const auto* name : {kTableName, kStudyName})
      output.tell(FileWritten{(fs::path(line.study.folder) / name).string()});
    output.message(fmt::format("{}{}\n", outcome_in_words(counts), time_in_words(note)));
  }
  tell_failed(output, sweep);
  if (stopped) output.message(describe(*stopped));
  if (counts.done < counts.total)
    output.message(fmt::format("{} of {} are finished; run the same command to continue\n",
                               grouped(counts.done), cases_in_words(counts.total)));
  return stopped || counts.failed > 0 || counts.done < counts.total ? 1 : 0;
}

int tell_status(RealHost& host, TextOutput& output, const std::string& folder);

}  // namespace

}  // namespace sweeping

std::unique_ptr<Crew> local_crew(const Setup& setup, const CommandLine& line, Index cases) {
  return std::make_unique<LocalCrew>(
      setup, LocalCrewOptions{
                 {"/proc/self/exe", kWorkerCommand}, sweeping::workers_for(line, cases), line.study.limit});
}

namespace sweeping {

namespace {

// Runs one part of a study in a job array: its cases of the plan, into its own journal.
int run_part(RealHost& host, TextOutput& output, const CommandLine& line, Setup setup, Design design) {
  const auto plan = read_slurm_plan(host, line.study.folder);
  setup.now = plan.now;
  if (setup.digest() != plan.setup)
    return fail_file(output, "the study was submitted with another script or other options; submit it again");
  StudyJournal journal(line.study.folder, part_journal(line.study.part));
  Sweep sweep(host, std::move(setup), std::move(design), journal);
  sweep.restore(line.study.again_failed);
  const auto crew = local_crew(sweep.setup(), line, sweep.counts().total);
  sweep.run(*crew, {line.study.stops_at_error, plan.cases, line.study.part - 1, plan.parts});
  return 0;
}

}  // namespace

}  // namespace sweeping

int sweep_script(RealHost& host, TextOutput& output, const CommandLine& line) {
  using namespace sweeping;
  const auto& folder = line.study.folder;
  if (!line.study.status.empty()) return tell_status(host, output, line.study.status);
  if (line.subject.empty()) return fail_usage(output, "`sweep` needs a script; see eager-quill sweep --help");
  const auto text = host.read_file(line.subject);
  if (!text.ok()) return fail_file(output, fmt::format("cannot read {}: {}", line.subject, text.reason));
  const double began = host.seconds();
  const auto began_at = time_text(std::floor(host.time_of_day()));
  const auto options = design_of(line);
  Design design(host, options);
  auto setup = setup_of(line, text.value);
  for (const auto& [name, literal] : line.inputs)
    if (find_malformed(literal) != std::string::npos)
      return fail_usage(output, fmt::format("the input {} is not UTF-8 text", printable(name)));
    else if (std::find(design.names().begin(), design.names().end(), name) != design.names().end())
      return fail_usage(output, fmt::format("the input {} varies and is set as well", name));
  if (!is_ready(host, output, setup, design)) return 1;
  if (!line.quiet)
    for (const auto& warning : design.warnings()) output.message(describe(warning, "warning"));
  setup.units = units_of_inputs(host, setup);
  // Batch systems and MPI launchers stop jobs with SIGTERM.
  std::signal(SIGTERM, [](int) { request_interrupt(); });
  if (line.study.part > 0) return run_part(host, output, line, std::move(setup), std::move(design));
  check_folder(folder);
  StudyJournal journal(folder);
  const bool is_on_slurm = line.study.on == "slurm";
  if (!is_on_slurm) remove_leftovers(folder);
  Sweep sweep(host, std::move(setup), std::move(design), journal);
  const auto reasons = sweep.restore(line.study.again_failed);
  merge_parts(output, sweep);
  const auto& counts = sweep.counts();
  const Index open = counts.total - counts.done;
  if (open > 0)
    for (const auto& reason : reasons) output.message(reason + "\n");
  if (counts.done > 0 && !line.quiet)
    output.message(
        fmt::format("{} of {} were finished before\n", grouped(counts.done), cases_in_words(counts.total)));
  int workers = 0;
  std::optional<Error> stopped;
  if (is_on_slurm && open > 0) {
    SlurmRun run(host, output, sweep, line);
    if (line.study.is_dry) return run.write_only();
    stopped = run.to_end();
    workers = static_cast<int>(run.parts());
  } else if (open > 0) {
    stopped = run_cases(sweep, line, workers);
  }
  remove_leftovers(folder, is_on_slurm || line.study.runs_on != std::string("local"));
  const StudyNote note{options, began_at, host.seconds() - began, workers,
                       is_on_slurm ? "slurm" : line.study.runs_on};
  write_study(sweep, note);
  return tell_end(output, sweep, line, note, stopped);
}

namespace sweeping {

namespace {

// Reads the journal, even while another program writes it.
int tell_status(RealHost& host, TextOutput& output, const std::string& folder) {
  const auto path = (fs::path(folder) / kJournalName).string();
  std::error_code error;
  if (!fs::exists(path, error))
    return fail_file(output, fmt::format("there is no study in {}: {} does not exist", printable(folder),
                                         printable(path)));
  StudyHead head;
  Index done = 0, failed = 0;
  StudyJournal::Readers readers;
  readers.head = [&](const StudyHead& next) {
    head = next;
    done = failed = 0;
  };
  readers.result = [&](const CaseResult& result, std::uint64_t) {
    ++done;
    failed += result.status != CaseStatus::ok;
  };
  StudyJournal::read_file(path, readers);
  readers.head = nullptr;
  for (const auto& part : part_journals(folder)) StudyJournal::read_file(part, readers);
  auto text = fmt::format("{} ({}): {} of {} finished", printable(folder), printable(head.script),
                          grouped(head.valid + done), cases_in_words(head.count));
  if (failed > 0) text += fmt::format(", {} failed in this call", grouped(failed));
  const bool is_running = StudyJournal::is_in_use(path);
  const double elapsed = host.time_of_day() - parse_time(head.began).value_or(host.time_of_day());
  if (is_running && done > 0 && elapsed > 0)
    text += fmt::format("; running, {} cases a second, {} left",
                        rate_in_words(static_cast<double>(done) / elapsed),
                        duration_in_prose(elapsed * static_cast<double>(head.count - head.valid - done) /
                                          static_cast<double>(done)));
  else
    text += is_running ? "; running" : "; not running";
  host.print(text + "\n");
  return 0;
}

}  // namespace

}  // namespace sweeping

int serve_study(const std::string& parent) {
  // Ctrl-C is handled by the parent; this process ends when the parent does.
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
