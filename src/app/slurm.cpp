#include "app/slurm.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <thread>

#include "base/descriptor.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "files/json_text.h"
#include "session/json_whole.h"

extern char** environ;

namespace quill {

namespace fs = std::filesystem;

namespace slurm {

namespace {

using Json = nlohmann::ordered_json;

constexpr Index kUsualParts = 8;
constexpr const char* kPlanName = "slurm/plan.json";
constexpr const char* kScriptName = "slurm/job.sh";

struct Ran {
  int status = 127;
  std::string out;  // with its error messages
};

// Runs a command of the batch system.
Ran run(Names words) {
  int ends[2];
  if (::pipe2(ends, O_CLOEXEC) != 0)
    fail_hindered(fmt::format("cannot start {}: {}", words[0], system_reason()));
  const Descriptor from(ends[0]);
  Descriptor to(ends[1]);
  std::vector<char*> arguments;
  for (auto& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  posix_spawn_file_actions_addopen(&files, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_adddup2(&files, to.get(), STDOUT_FILENO);
  posix_spawn_file_actions_adddup2(&files, to.get(), STDERR_FILENO);
  pid_t child = 0;
  const int failure = ::posix_spawnp(&child, arguments[0], &files, nullptr, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&files);
  to = Descriptor();
  if (failure != 0)
    fail_hindered(fmt::format("cannot start {}: {}", words[0], std::strerror(failure)),
                  "Slurm must be installed on this machine");
  Ran out;
  char piece[4096];
  for (ssize_t n = 0; (n = ::read(from.get(), piece, sizeof piece)) != 0;) {
    if (n < 0 && errno != EINTR) break;
    if (n > 0) out.out.append(piece, static_cast<std::size_t>(n));
  }
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {}
  out.status = WIFEXITED(status) ? WEXITSTATUS(status) : 1;
  return out;
}

// Quotes a word for the shell.
std::string quoted(const std::string& word) {
  std::string out = "'";
  for (const char c : word) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

// Options of sbatch that concern only the submission, and whether they have an argument.
const std::map<std::string, bool> kOfSubmission = {
    {"--on", true},      {"--dry-run", false}, {"--workers", true}, {"--batch", true},
    {"--failed", false}, {"--quiet", false},   {"--color", true}};

Names words_for_task(const Names& words) {
  Names out;
  for (std::size_t k = 0; k < words.size(); ++k) {
    const auto name = words[k].substr(0, words[k].find('='));
    const auto option = kOfSubmission.find(name);
    if (option == kOfSubmission.end())
      out.push_back(words[k]);
    else if (option->second && name == words[k])
      ++k;  // its argument
  }
  return out;
}

std::string text_of_plan(const SlurmPlan& plan) {
  return Json{{"now", plan.now},
              {"setup", plan.setup},
              {"job", plan.job},
              {"parts", plan.parts},
              {"cases", text_of(plan.cases)}}
             .dump(2) +
         "\n";
}

void write(RealHost& host, const std::string& path, const std::string& text) {
  const auto written = host.write_file(path, text);
  if (!written.ok()) fail_hindered(fmt::format("cannot write {}: {}", printable(path), written.reason));
}

std::string trimmed_message(const std::string& text) { return printable(shortened(trim(text), 300)); }

}  // namespace

}  // namespace slurm

SlurmPlan read_slurm_plan(Host& host, const std::string& folder) {
  const auto path = (fs::path(folder) / slurm::kPlanName).string();
  const auto text = host.read_file(path);
  if (!text.ok()) fail(fmt::format("cannot read {}: {}", printable(path), text.reason));
  try {
    const auto j = parsed_json(text.value);
    SlurmPlan plan{j.at("now").get<std::string>(), j.at("setup").get<std::string>(),
                   j.at("job").get<std::string>(), whole<Index>(j.at("parts")),
                   ranges_in(j.at("cases").get<std::string>())};
    if (plan.parts < 1) fail(fmt::format("{} is damaged", printable(path)));
    return plan;
  } catch (const Error&) { throw; } catch (const std::exception& error) {
    fail(fmt::format("{} is damaged: {}", printable(path), json_fault(error)));
  }
}

std::string part_journal(Index part) { return fmt::format("slurm/journal.{}", part); }

Names part_journals(const std::string& folder) {
  Names out;
  std::error_code error;
  for (fs::directory_iterator at(fs::path(folder) / "slurm", error), end; !error && at != end;
       at.increment(error))
    if (at->path().filename().string().starts_with("journal.")) out.push_back(at->path().string());
  std::sort(out.begin(), out.end());
  return out;
}

void merge_parts(TextOutput& output, Sweep& sweep) {
  std::size_t unused = 0;
  for (const auto& path : part_journals(sweep.setup().folder)) {
    Sweep::Part part{path};
    sweep.merge(part);
    unused += part.unused.size();
    std::error_code ignored;
    if (!StudyJournal::is_in_use(path)) fs::remove(path, ignored);
  }
  if (unused > 0)
    output.message(
        fmt::format("{} of a job {} not used: their inputs, or the files that they read or wrote, "
                    "have changed\n",
                    unused == 1 ? "1 finished case" : fmt::format("{} finished cases", unused),
                    unused == 1 ? "is" : "are"));
}

SlurmRun::SlurmRun(RealHost& host, TextOutput& output, Sweep& sweep, const CommandLine& line)
    : host_(host), output_(output), sweep_(sweep), line_(line), folder_(sweep.setup().folder) {
  script_path_ = (fs::path(folder_) / slurm::kScriptName).string();
  plan_.now = sweep.setup().now;
  plan_.setup = sweep.setup_digest();
  plan_.cases = sweep.open();
  const Index open = sweep.counts().total - sweep.counts().done;
  plan_.parts = std::min<Index>(line.study.workers > 0 ? line.study.workers : slurm::kUsualParts, open);
}

std::string SlurmRun::batch_script() const {
  std::error_code error;
  const auto here = fs::current_path(error);
  const auto logs = fs::absolute(fs::path(folder_) / "slurm", error);
  const auto name = fs::path(sweep_.setup().script).stem().string();
  auto out = fmt::format(
      "#!/bin/sh\n"
      "# Runs the open cases of a parameter study: written by eager-quill sweep --on slurm.\n"
      "#SBATCH --job-name={}\n#SBATCH --array=1-{}\n#SBATCH --output={}/%a.log\n",
      slurm::quoted(name), plan_.parts, slurm::quoted(logs.string()));
  for (const auto& option : line_.study.batch) out += fmt::format("#SBATCH {}\n", option);
  out += fmt::format("cd {} || exit 1\nexec {} sweep", slurm::quoted(here.string()),
                     slurm::quoted(fs::read_symlink("/proc/self/exe", error).string()));
  for (const auto& word : slurm::words_for_task(line_.words)) out += " " + slurm::quoted(word);
  return out + " --workers \"${SLURM_CPUS_PER_TASK:-1}\" --part \"$SLURM_ARRAY_TASK_ID\" --quiet\n";
}

void SlurmRun::write_files() {
  slurm::write(host_, script_path_, batch_script());
  slurm::write(host_, (fs::path(folder_) / slurm::kPlanName).string(), slurm::text_of_plan(plan_));
}

int SlurmRun::write_only() {
  write_files();
  if (!line_.quiet) {
    output_.tell(FileWritten{script_path_});
    output_.message(
        "submit it with sbatch, and run the same command without --dry-run when the job has ended\n");
  }
  return 0;
}

void SlurmRun::submit() {
  write_files();
  const auto ran = slurm::run({"sbatch", "--parsable", script_path_});
  if (ran.status != 0)
    fail_hindered(fmt::format("sbatch did not accept the job: {}", slurm::trimmed_message(ran.out)),
                  "--batch passes options to sbatch, such as --batch=--partition=long");
  plan_.job = std::string(trim(ran.out.substr(0, ran.out.find_first_of(";\n"))));
  slurm::write(host_, (fs::path(folder_) / slurm::kPlanName).string(), slurm::text_of_plan(plan_));
}

bool SlurmRun::is_active() const {
  // squeue fails for a job that ended some time ago.
  const auto ran = slurm::run({"squeue", "--noheader", "--jobs", plan_.job, "--format", "%T"});
  return ran.status == 0 && !trim(ran.out).empty();
}

void SlurmRun::follow() {
  std::map<std::string, Sweep::Part> parts;
  const auto merge = [&] {
    for (const auto& path : part_journals(folder_))
      sweep_.merge(parts.try_emplace(path, Sweep::Part{path}).first->second);
  };
  const Progress progress([this, began = host_.seconds()] { return std::optional(sweep_.progress(began)); });
  constexpr double shortest = 0.5, longest = 10;
  double pause = shortest;
  while (is_active()) {
    merge();
    for (double waited = 0; waited < pause; waited += 0.1) {
      poll_interrupt();
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
    pause = std::min(longest, 1.5 * pause);
  }
  merge();
}

std::optional<Error> SlurmRun::to_end() {
  try {
    const bool was_submitted = fs::exists(fs::path(folder_) / slurm::kPlanName);
    const auto before = was_submitted ? read_slurm_plan(host_, folder_) : SlurmPlan();
    if (!before.job.empty()) {
      // The job may still run if this program was killed.
      const auto next = std::exchange(plan_, before);
      if (!is_active()) plan_ = next;
    }
    if (!plan_.job.empty() && plan_.setup != sweep_.setup_digest())
      fail(fmt::format("job {} of this study still runs with other options", plan_.job),
           fmt::format("scancel {}", plan_.job));
    const bool is_new = plan_.job.empty();
    if (is_new) submit();
    if (!line_.quiet)
      output_.message(fmt::format("job {} {}, {} tasks\n", printable(plan_.job),
                                  is_new ? "submitted" : "still runs", plan_.parts));
    follow();
    merge_parts(output_, sweep_);
    return std::nullopt;
  } catch (const Error& error) {
    if (error.kind == Error::Kind::interrupted && !plan_.job.empty()) {
      slurm::run({"scancel", plan_.job});
      while (is_active()) std::this_thread::sleep_for(std::chrono::milliseconds(200));
      merge_parts(output_, sweep_);
    }
    return error;
  }
}

}  // namespace quill
