// Which of the kept sessions is the last one.
#include "app/journal_file.h"

#include <catch2/catch.hpp>
#include <filesystem>

#include "app/real_host.h"
#include "support/program.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("of sessions that began in the same second the one written last is the last one") {
  const TemporaryFolder folder;
  const JournalHead head{"0.1.0", "2026-08-01T09:30:00", "/lake", "out", 1};
  const auto now = std::filesystem::file_time_type::clock::now();
  // The names end with numbers of processes, whose order says nothing.
  for (const auto& [process, age] : {std::pair{"9999", 3}, {"10001", 1}, {"500", 2}}) {
    const auto path = folder.path(std::string("journals/2026-08-01T09-30-00-") + process + ".jsonl");
    folder.write(std::string("journals/2026-08-01T09-30-00-") + process + ".jsonl", journal_line(head));
    std::filesystem::last_write_time(path, now - std::chrono::milliseconds(age));
  }
  RealHost host;
  const auto sessions = kept_sessions(host, folder.path(""));
  REQUIRE(sessions.size() == 3);
  CHECK(sessions[0].path.find("-10001.") != std::string::npos);
  CHECK(sessions[1].path.find("-500.") != std::string::npos);
  CHECK(sessions[2].path.find("-9999.") != std::string::npos);
}
