#include "app/watching.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <thread>

#include "app/commands.h"
#include "app/timings.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "session/watch.h"

namespace quill {

namespace {

std::string text_of(const Watch::Round& round, bool is_first) {
  constexpr std::size_t most = 8;  // statements that are listed
  std::string out;
  if (!is_first) {
    const auto listed = round.ran.size() <= most ? round.ran.size() : most - 1;
    for (std::size_t k = 0; k < listed; ++k) {
      const auto& [line, text] = round.ran[k];
      const auto end = text.find('\n');
      out += fmt::format("  ran {:>5}  {}{}\n", line, shortened(text.substr(0, end), 64),
                         end == std::string::npos ? "" : " …");
    }
    if (listed < round.ran.size())
      out += fmt::format("  ran        and {} more\n", round.ran.size() - listed);
  }
  out += fmt::format("{} ran in {}",
                     round.ran.size() == 1 ? "1 statement" : fmt::format("{} statements", round.ran.size()),
                     duration_in_prose(round.seconds));
  if (round.kept > 0)
    out += fmt::format(", {} reused, saving {}", round.kept, duration_in_prose(round.saved));
  if (round.let_go > 0)
    out += fmt::format("; not enough memory for all states: the first {} run each time", round.let_go);
  return out + "\n";
}

// Waits until a change is complete. False after an interrupt.
bool wait_for_change(Watch& watch) {
  using namespace std::chrono_literals;
  bool was_changed = false;
  while (!stop_requested()) {
    std::this_thread::sleep_for(was_changed ? 30ms : 100ms);
    const bool changed = watch.has_changed();
    if (changed && was_changed) return true;
    was_changed = changed;
  }
  return false;
}

}  // namespace

int watch_script(RealHost& host, TextOutput& output, const CommandLine& line) {
  if (line.subject == "-") return fail_usage(output, "watch requires a script file");
  if (!script_text(host, output, line)) return 1;
  auto options = options_of(line);
  options.keeps = Keeps::origins;
  options.script_folder = std::filesystem::path(line.subject).parent_path().string();
  Watch watch(host, output, options, line.subject);
  bool is_first = true;
  do {
    if (!is_first && !line.quiet) host.message("\n");
    const auto round = watch.round();
    clear_interrupt();
    if (!line.quiet)
      host.message(
          fmt::format("{}{} for a change of {}; Ctrl-C ends\n", round ? text_of(*round, is_first) : "",
                      round && round->fine ? "waiting" : "stopped by an error, waiting", line.subject));
    host.flush();
    is_first = is_first && !round;
  } while (wait_for_change(watch));
  return 0;
}

}  // namespace quill
