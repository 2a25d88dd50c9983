#include "sweep/local_crew.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstring>

#include "base/error.h"
#include "sweep/runner.h"

extern char** environ;

namespace quill {

namespace local_crew {

namespace {

constexpr int kMostGiven = 32;         // maximum number of cases queued in a worker
constexpr double kSecondsGiven = 0.1;  // and their total expected time
constexpr int kMostFailedStarts = 3;
constexpr std::string_view kReady = "ready";  // the first line of a worker

double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// Removes complete lines from the beginning of a text.
template <class Take>
void take_lines(std::string& text, const Take& take) {
  std::size_t begin = 0;
  for (auto end = text.find('\n'); end != text.npos; end = text.find('\n', begin)) {
    take(std::string_view(text).substr(begin, end - begin));
    begin = end + 1;
  }
  text.erase(0, begin);
}

}  // namespace

}  // namespace local_crew

LocalCrew::LocalCrew(const Setup& setup, LocalCrewOptions options)
    : setup_line_(line_of(setup) + "\n"), options_(std::move(options)) {
  workers_.resize(static_cast<std::size_t>(options_.workers));
  for (auto& worker : workers_) start(worker);
}

LocalCrew::~LocalCrew() {
  for (auto& worker : workers_)
    if (worker.process > 0) {
      ::kill(worker.process, SIGKILL);
      while (::waitpid(worker.process, nullptr, 0) < 0 && errno == EINTR) {}
    }
}

void LocalCrew::start(Worker& worker) {
  int ends[2];
  if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0)
    fail_hindered(fmt::format("cannot start a worker: {}", system_reason()));
  worker = Worker();
  worker.socket = Descriptor(ends[0]);
  const Descriptor other(ends[1]);
  ::fcntl(ends[0], F_SETFL, O_NONBLOCK);
  auto words = options_.command;
  words.push_back(std::to_string(::getpid()));
  std::vector<char*> arguments;
  for (auto& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  posix_spawn_file_actions_addopen(&files, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&files, STDOUT_FILENO, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_adddup2(&files, ends[1], kWorkerSocket);
  const int status =
      ::posix_spawnp(&worker.process, arguments[0], &files, nullptr, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&files);
  if (status != 0) {
    worker.process = 0;
    fail_hindered(fmt::format("cannot start a worker: {}", std::strerror(status)));
  }
  worker.unsent = setup_line_;
}

Index LocalCrew::room(Index left) const {
  const auto by_count = left / (Index{4} * options_.workers);
  const auto by_time =
      seconds_each_ > 0 ? static_cast<Index>(std::min(1e6, local_crew::kSecondsGiven / seconds_each_)) : 2;
  const auto each = std::clamp<Index>(std::min(by_count, by_time), 1, local_crew::kMostGiven);
  Index given = static_cast<Index>(waiting_.size());
  for (const auto& worker : workers_) given += static_cast<Index>(worker.cases.size());
  return std::max<Index>(0, each * options_.workers - given);
}

void LocalCrew::give(const Case& one) { waiting_.push_back(one); }

// Gives each waiting case to the worker with the fewest.
void LocalCrew::hand_out() {
  while (!waiting_.empty()) {
    auto worker = std::min_element(workers_.begin(), workers_.end(), [](const auto& a, const auto& b) {
      return a.cases.size() < b.cases.size();
    });
    if (worker->cases.size() >= local_crew::kMostGiven) return;
    if (worker->cases.empty()) worker->began = local_crew::now();
    worker->unsent += line_of(waiting_.front()) + "\n";
    worker->cases.push_back(std::move(waiting_.front()));
    waiting_.pop_front();
  }
}

void LocalCrew::send(Worker& worker) {
  while (!worker.unsent.empty()) {
    const auto n = ::send(worker.socket.get(), worker.unsent.data(), worker.unsent.size(), MSG_NOSIGNAL);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return;  // full, or closed, which receive() will notice
    worker.unsent.erase(0, static_cast<std::size_t>(n));
  }
}

void LocalCrew::take_result(Worker& worker, CaseResult result, std::vector<CaseResult>& results) {
  result.number = worker.cases.front().number;
  worker.cases.pop_front();
  worker.began = local_crew::now();
  results.push_back(std::move(result));
}

void LocalCrew::receive(Worker& worker, std::vector<CaseResult>& results) {
  char piece[1 << 16];
  const auto n = ::recv(worker.socket.get(), piece, sizeof piece, 0);
  if (n < 0 && (errno == EINTR || errno == EAGAIN)) return;
  if (n > 0) {
    worker.received.append(piece, static_cast<std::size_t>(n));
    local_crew::take_lines(worker.received, [&](std::string_view line) {
      if (line == local_crew::kReady) {
        worker.has_started = true;
        failed_starts_ = 0;
        worker.began = local_crew::now();
      }
      if (line == local_crew::kReady || worker.cases.empty()) return;
      auto result = result_of(line);
      seconds_each_ = seconds_each_ == 0 ? result.seconds : 0.95 * seconds_each_ + 0.05 * result.seconds;
      take_result(worker, std::move(result), results);
    });
    return;
  }
  const bool has_started = worker.has_started;
  const auto message = end_of(worker);
  if (!has_started && ++failed_starts_ >= local_crew::kMostFailedStarts)
    fail_hindered(fmt::format("the workers end at once: {}", message));
  replace(worker, CaseStatus::failed, message, results);
}

std::string LocalCrew::end_of(Worker& worker) {
  int status = 0;
  while (::waitpid(worker.process, &status, 0) < 0 && errno == EINTR) {}
  worker.process = 0;
  if (!WIFSIGNALED(status)) return fmt::format("the process ended with exit status {}", WEXITSTATUS(status));
  const int signal = WTERMSIG(status);
  return fmt::format("the process was ended by signal {} ({}){}", signal, ::strsignal(signal),
                     signal == SIGKILL ? "; the machine may be out of memory" : "");
}

void LocalCrew::replace(Worker& worker, CaseStatus status, std::string message,
                        std::vector<CaseResult>& results) {
  if (!worker.cases.empty()) {
    CaseResult result;
    result.status = status;
    result.message = std::move(message);
    result.seconds = local_crew::now() - worker.began;
    char host[256] = "";
    if (::gethostname(host, sizeof host - 1) == 0) result.host = host;
    take_result(worker, std::move(result), results);
  }
  waiting_.insert(waiting_.begin(), worker.cases.begin(), worker.cases.end());
  start(worker);
}

std::vector<CaseResult> LocalCrew::wait(double seconds) {
  hand_out();
  std::vector<CaseResult> results;
  std::vector<pollfd> sockets;
  double until = seconds;
  for (auto& worker : workers_) {
    send(worker);
    sockets.push_back(
        {worker.socket.get(), static_cast<short>(worker.unsent.empty() ? POLLIN : POLLIN | POLLOUT), 0});
    if (options_.limit > 0 && !worker.cases.empty())
      until = std::min(until, worker.began + options_.limit - local_crew::now());
  }
  const int milliseconds = static_cast<int>(std::max(0.0, until) * 1000) + (until > 0 ? 1 : 0);
  if (::poll(sockets.data(), sockets.size(), milliseconds) > 0)
    for (std::size_t k = 0; k < sockets.size(); ++k) {
      if (sockets[k].revents & POLLOUT) send(workers_[k]);
      if (sockets[k].revents & (POLLIN | POLLHUP | POLLERR)) receive(workers_[k], results);
    }
  for (auto& worker : workers_)
    if (options_.limit > 0 && !worker.cases.empty() && local_crew::now() - worker.began > options_.limit) {
      ::kill(worker.process, SIGKILL);
      end_of(worker);
      replace(worker, CaseStatus::limit, fmt::format("stopped after {:g} s", options_.limit), results);
    }
  return results;
}

namespace local_crew {

namespace {

// Returns false if the other end is closed.
bool send_all(int socket, std::string_view text) {
  while (!text.empty()) {
    const auto sent = ::send(socket, text.data(), text.size(), MSG_NOSIGNAL);
    if (sent < 0 && errno == EINTR) continue;
    if (sent <= 0) return false;
    text.remove_prefix(static_cast<std::size_t>(sent));
  }
  return true;
}

}  // namespace

}  // namespace local_crew

void serve_cases(int socket, const std::function<std::unique_ptr<Host>()>& new_host,
                 const std::function<void(const Setup&)>& prepare) {
  std::optional<CaseRunner> runner;
  std::string received;
  char piece[1 << 16];
  bool is_open = true;
  while (is_open) {
    const auto n = ::recv(socket, piece, sizeof piece, 0);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return;
    received.append(piece, static_cast<std::size_t>(n));
    local_crew::take_lines(received, [&](std::string_view line) {
      if (!is_open) return;
      if (runner) {
        is_open = local_crew::send_all(socket, line_of(runner->run(case_of(line))) + "\n");
        return;
      }
      auto setup = setup_of(line);
      prepare(setup);
      runner.emplace(std::move(setup), new_host);
      is_open = local_crew::send_all(socket, std::string(local_crew::kReady) + "\n");
    });
  }
}

}  // namespace quill
