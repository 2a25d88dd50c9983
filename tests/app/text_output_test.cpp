// Events as text: where they go, how they look, what quiet leaves out.
#include "app/text_output.h"

#include <catch2/catch.hpp>

#include "app/options.h"
#include "app/timings.h"

using namespace quill;

namespace {

struct Told {
  std::string printed, messages;
};

Told told(const std::vector<Event>& events, const TextOptions& options = {}, int width = 80) {
  MemoryHost host;
  host.width = width;
  TextOutput output(host, options);
  for (const auto& event : events) output.tell(event);
  return {host.printed, host.messages};
}

const Value kSquares = Value::array(Array::vector(std::vector<double>{1, 4, 9}));

}  // namespace

TEST_CASE("values are printed, all that is about them is a message") {
  const auto values = told({ValueShown{"x^2", kSquares, 5}, ValuesPrinted{{Value(1.5), Value::text("a")}, 5},
                            ValueDescribed{"x", Value(2.0), 5}, NameAssigned{"x", kSquares}});
  CHECK(values.printed == "x^2 : float64 3\n  1  4  9\n1.5 a\nx = 2\nx : float64 3, 1, 4, 9\n");
  CHECK(values.messages.empty());
  const auto about = told({WarningGiven{Error("low")}, HintGiven{"link them"},
                           ErrorMet{Error("wrong", "do so")}, FileWritten{"out/a.csv"}, RunEnded{2, 1}});
  CHECK(about.printed.empty());
  CHECK(about.messages ==
        "warning: low\nhint: link them\nerror: wrong\n  hint: do so\nwrote out/a.csv\n2 warnings\n1 check "
        "passed\n");
  CHECK(told({RunEnded{0, 0}}).messages.empty());
  Error stop("stopped");
  stop.kind = Error::Kind::interrupted;
  CHECK(told({ErrorMet{stop}}).messages == "interrupted: stopped\n");
}

TEST_CASE("digits come with the value, the width from the place where it is shown") {
  const Value third(1.0 / 3);
  CHECK(told({ValuesPrinted{{third}, 3}}).printed == "0.333\n");
  const Value many = Value::range(1, 60, 1);
  const auto lines = [](const std::string& text) { return std::count(text.begin(), text.end(), '\n'); };
  CHECK(lines(told({ValueShown{"v", many, 5}}, {}, 60).printed) >
        lines(told({ValueShown{"v", many, 5}}, {}, 200).printed));
}

TEST_CASE("quiet leaves values and errors, colours mark the first word and the hint") {
  const std::vector<Event> all = {ValuesPrinted{{Value(1.0)}, 5},
                                  SectionBegun{"Part"},
                                  WarningGiven{Error("low")},
                                  HintGiven{"h"},
                                  FileWritten{"f"},
                                  BlockTimed{{"t", {1}, 0, 0}},
                                  RunEnded{1, 1},
                                  ErrorMet{Error("wrong")}};
  const auto quiet = told(all, {true, false});
  CHECK(quiet.printed == "1\n");
  CHECK(quiet.messages == "error: wrong\n");
  const auto colored = told({ErrorMet{Error("wrong", "do so")}}, {false, true});
  CHECK(colored.messages == "\033[1;31merror:\033[0m wrong\n  \033[1mhint:\033[0m do so\n");
}

TEST_CASE("every command has its row, its help, and the options that it names") {
  for (const auto& command : commands()) {
    std::vector<const char*> words = {"eager-quill"};
    if (*command.name) words.push_back(command.name);
    words.push_back("--help");
    const auto line = parse_command_line(static_cast<int>(words.size()), words.data());
    CAPTURE(command.name);
    CHECK(line.command == nullptr);
    CHECK(line.printed.find(command.usage) != std::string::npos);
    CHECK(line.printed.find(command.about) != std::string::npos);
  }
  const char* run[] = {"eager-quill", "run", "a.eq",   "--set", "a=1",
                       "--set",       "b=2", "--seed", "7",     "--quiet"};
  const auto line = parse_command_line(10, run);
  REQUIRE(line.command);
  CHECK(std::string(line.command->name) == "run");
  CHECK(line.subject == "a.eq");
  CHECK(line.inputs == std::vector<std::pair<std::string, std::string>>{{"a", "1"}, {"b", "2"}});
  CHECK((line.seed == 7 && line.quiet));
}

TEST_CASE("durations in prose") {
  CHECK(duration_in_prose(0) == "0.00 µs");
  CHECK(duration_in_prose(0.01234) == "12.3 ms");
  CHECK(duration_in_prose(1.236) == "1.24 s");
  CHECK(duration_in_prose(59.99) == "60.0 s");
  CHECK(duration_in_prose(125.2) == "2 min 5 s");
  Timing t;
  t.seconds = {3, 1, 2, 10};
  CHECK(median_seconds(t) == Approx(2.5));
}
