#include "mpi/mpi_crew.h"

#include <fmt/format.h>

#include <atomic>
#include <boost/mpi.hpp>
#include <chrono>
#include <csignal>
#include <deque>
#include <thread>
#include <vector>

#include "app/sweeping.h"
#include "base/interrupt.h"

namespace quill {

namespace mpi = boost::mpi;

namespace {

// Messages. A setup comes before the first case, and a release ends a rank.
enum Tag : std::uint8_t { setup_tag = 1, limit_tag, case_tag, result_tag, release_tag, call_tag, answer_tag };

constexpr int kNothing = 0;     // what a message without content holds
constexpr int kMostGiven = 16;  // cases that a rank has at once
// MPI waits by asking without pause, which would take the processor from the worker.
constexpr auto kPause = std::chrono::microseconds(200);

// Set by SIGCONT. When a rank has died, Open MPI sends it to the other ranks a second before it ends them.
std::atomic<bool> has_continued{false};

class MpiCrew : public Crew {
 public:
  MpiCrew(const Setup& setup, double limit) : given_(static_cast<std::size_t>(world_.size() - 1)) {
    const auto line = line_of(setup);
    for (int rank = 1; rank < world_.size(); ++rank) {
      world_.send(rank, setup_tag, line);
      world_.send(rank, limit_tag, limit);
    }
    std::signal(SIGCONT, [](int) { has_continued = true; });
  }
  int workers() const override { return static_cast<int>(given_.size()); }

  Index room(Index left) const override {
    const auto each = std::clamp<Index>(left / (Index{4} * workers()), 1, kMostGiven);
    Index given = 0;
    for (const auto cases : given_) given += cases;
    return std::max<Index>(0, (each + 1) * workers() - given);
  }

  void give(const Case& one) override {
    const auto least = std::min_element(given_.begin(), given_.end());
    ++*least;
    // Not waited for: a rank that has died takes no message, and this one must still see that it is to end.
    unsent_.push_back(world_.isend(static_cast<int>(least - given_.begin()) + 1, case_tag, line_of(one)));
  }

  std::vector<CaseResult> wait(double seconds) override {
    std::vector<CaseResult> out;
    const auto until = std::chrono::steady_clock::now() + std::chrono::duration<double>(seconds);
    std::erase_if(unsent_, [](mpi::request& request) { return request.test().has_value(); });
    while (true) {
      poll_interrupt();
      if (has_continued.exchange(false)) check_ranks();
      while (const auto message = world_.iprobe(mpi::any_source, result_tag)) {
        std::string line;
        world_.recv(message->source(), result_tag, line);
        --given_[static_cast<std::size_t>(message->source() - 1)];
        out.push_back(result_of(line));
      }
      if (!out.empty() || std::chrono::steady_clock::now() >= until) return out;
      std::this_thread::sleep_for(kPause);
    }
  }

 private:
  // Error when a rank does not answer at once.
  void check_ranks() {
    constexpr auto patience = std::chrono::milliseconds(400);
    std::vector<bool> has_answered(given_.size());
    for (int rank = 1; rank < world_.size(); ++rank)
      unsent_.push_back(world_.isend(rank, call_tag, kNothing));
    for (const auto until = std::chrono::steady_clock::now() + patience;
         std::chrono::steady_clock::now() < until;) {
      while (const auto message = world_.iprobe(mpi::any_source, answer_tag)) {
        int nothing = 0;
        world_.recv(message->source(), answer_tag, nothing);
        has_answered[static_cast<std::size_t>(message->source() - 1)] = true;
      }
      std::this_thread::sleep_for(kPause);
    }
    const auto silent = std::find(has_answered.begin(), has_answered.end(), false);
    if (silent != has_answered.end())
      fail_hindered(
          fmt::format("rank {} does not answer, and MPI ends the job", silent - has_answered.begin() + 1));
  }

  mpi::communicator world_;
  std::vector<Index> given_;  // to each rank from 1 on
  std::vector<mpi::request> unsent_;
};

}  // namespace

std::unique_ptr<Crew> mpi_crew(const Setup& setup, const CommandLine& line, Index cases) {
  if (mpi::communicator().size() == 1) return local_crew(setup, line, cases);
  return std::make_unique<MpiCrew>(setup, line.study.limit);
}

void serve_rank() {
  const mpi::communicator world;
  std::string setup;
  std::unique_ptr<LocalCrew> crew;
  Index running = 0;
  while (true) {
    while (const auto message = world.iprobe(0, mpi::any_tag)) {
      if (message->tag() == release_tag) return;
      if (message->tag() == setup_tag) {
        world.recv(0, setup_tag, setup);
        double limit = 0;
        world.recv(0, limit_tag, limit);
        crew = std::make_unique<LocalCrew>(setup_of(setup),
                                           LocalCrewOptions{{"/proc/self/exe", kWorkerCommand}, 1, limit});
        continue;
      }
      if (message->tag() == call_tag) {
        int nothing = 0;
        world.recv(0, call_tag, nothing);
        world.send(0, answer_tag, nothing);
        continue;
      }
      std::string line;
      world.recv(0, case_tag, line);
      crew->give(case_of(line));
      ++running;
    }
    if (running == 0) {
      std::this_thread::sleep_for(kPause);
      continue;
    }
    constexpr double patience = 0.002;
    for (const auto& result : crew->wait(patience)) {
      world.send(0, result_tag, line_of(result));
      --running;
    }
  }
}

void release_ranks() {
  const mpi::communicator world;
  for (int rank = 1; rank < world.size(); ++rank) world.send(rank, release_tag, 0);
}

}  // namespace quill
