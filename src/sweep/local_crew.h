// Worker processes on this machine. A socket to each one carries cases and results, one line each.
#pragma once

#include <sys/types.h>

#include <deque>
#include <string>
#include <vector>

#include "base/descriptor.h"
#include "sweep/crew.h"
#include "sweep/setup.h"

namespace quill {

// Descriptor of the socket in a worker.
inline constexpr int kWorkerSocket = 3;

struct LocalCrewOptions {
  Names command;  // program and arguments that start a worker
  int workers = 1;
  double limit = 0;  // seconds for one case; 0 for unlimited
};

class LocalCrew : public Crew {
 public:
  LocalCrew(const Setup& setup, LocalCrewOptions options);
  ~LocalCrew() override;  // ends the processes
  int workers() const override { return options_.workers; }
  Index room(Index left) const override;
  void give(const Case& one) override;
  std::vector<CaseResult> wait(double seconds) override;

 private:
  struct Worker {
    pid_t process = 0;
    Descriptor socket;
    std::string unsent, received;
    std::deque<Case> cases;    // assigned cases; the first one runs
    double began = 0;          // start time of the first one
    bool has_started = false;  // has returned a result
  };
  void start(Worker& worker);
  void hand_out();
  void send(Worker& worker);
  void receive(Worker& worker, std::vector<CaseResult>& results);
  // Fails its first case with this status, returns the others to the queue, and starts a new process.
  void replace(Worker& worker, CaseStatus status, std::string message, std::vector<CaseResult>& results);
  static std::string end_of(Worker& worker);
  static void take_result(Worker& worker, CaseResult result, std::vector<CaseResult>& results);

  std::string setup_line_;
  LocalCrewOptions options_;
  std::vector<Worker> workers_;
  std::deque<Case> waiting_;
  double seconds_each_ = 0;  // mean over the cases so far
  int failed_starts_ = 0;    // consecutive ones
};

// Main loop of a worker: reads a setup and cases from the socket, runs them, writes results. Returns when the
// other end is closed.
void serve_cases(int socket, const std::function<std::unique_ptr<Host>()>& new_host,
                 const std::function<void(const Setup&)>& prepare);

}  // namespace quill
