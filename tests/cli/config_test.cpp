// The file of settings, and colours.
#include <catch2/catch.hpp>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;

TEST_CASE("settings for all runs come from a file, and stand in the record") {
  const TemporaryFolder folder;
  folder.write("config/eager-quill/config",
               "# mine\ntheme = night\ndigits = 3\nformats = svg pdf\nthreads = 2\n");
  folder.write("s.eq", "print(pi)\nfigure(\"f\") { line([1, 2]) }\n");
  setenv("XDG_CONFIG_HOME", folder.path("config").c_str(), 1);
  const auto run = [&](std::vector<std::string> arguments) {
    return run_program(kProgram, arguments, "", folder.path());
  };
  CHECK(run({"run", "s.eq"}).out == "3.14\n");
  CHECK(folder.has("out/f.svg"));
  CHECK(folder.has("out/f.pdf"));
  CHECK_FALSE(folder.has("out/f.png"));
  CHECK(has(folder.read("out/run.json"),
            "\"settings\": {\"theme\":\"night\",\"digits\":3,\"formats\":[\"svg\",\"pdf\"]}"));
  const auto plain = run({"run", "s.eq", "--no-config", "--out", "plain"});
  CHECK(plain.out == "3.1416\n");
  CHECK(folder.has("plain/f.png"));
  // A record is compared with what was set then, whatever is set now.
  unsetenv("XDG_CONFIG_HOME");
  CHECK(run({"verify", "out/run.json", "--no-config"}).status == 0);
  CHECK(run({"trace", "out/f.svg", "--rerun", "--no-config"}).status == 0);
  folder.write("other", "digits = 7\n");
  CHECK(run({"eval", "--config", "other", "pi"}).out == "pi = 3.141593\n");
  const auto wrong = [&](const std::string& text) {
    folder.write("wrong", text);
    const auto result = run({"eval", "--config", "wrong", "1"});
    CHECK(result.status == 2);
    return result.err;
  };
  CHECK(has(wrong("thme = night\n"), "wrong: there is no setting `thme`"));
  CHECK(has(wrong("theme = dusk\n"), "wrong: theme must be "));
  CHECK(has(wrong("digits = many\n"), "digits must be a number from 1 to 17"));
  CHECK(has(wrong("nonsense\n"), "error: wrong, line 1: `nonsense` is not a setting"));
  CHECK(has(run({"eval", "--config", "missing", "1"}).err, "cannot read missing"));
}

TEST_CASE("a command behind its options is said to stand first") {
  const TemporaryFolder folder;
  const auto result = run_program(kProgram, {"--no-config", "eval", "1"}, "", folder.path());
  CHECK(result.status == 2);
  CHECK(has(result.err, "the command must come first: eager-quill eval …"));
}

TEST_CASE("messages are coloured when somebody wants it") {
  const TemporaryFolder folder;
  const auto err = [&](std::vector<std::string> options) {
    options.insert(options.begin(), "eval");
    options.emplace_back("[1][2]");
    return run_program(kProgram, options, "", folder.path()).err;
  };
  CHECK_FALSE(has(err({"--no-config"}), "\x1b["));
  CHECK(has(err({"--no-config", "--color", "always"}), "\x1b[1;31merror:"));
  folder.write("c", "color = always\n");
  CHECK(has(err({"--config", "c"}), "\x1b["));
  CHECK_FALSE(has(err({"--config", "c", "--color", "never"}), "\x1b["));
  setenv("NO_COLOR", "1", 1);
  CHECK_FALSE(has(err({"--config", "c"}), "\x1b["));
  CHECK(has(err({"--config", "c", "--color", "always"}), "\x1b["));
  unsetenv("NO_COLOR");
  CHECK(has(err({"--color", "sometimes"}), "--color takes auto, always or never"));
}
