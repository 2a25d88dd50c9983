// The manual page and the completions of shells say what the program takes.
#include "app/manual.h"

#include <catch2/catch.hpp>

#include "app/options.h"
#include "app/session_commands.h"
#include "support/program.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("the manual page has all commands, options and words") {
  const auto page = manual_page();
  CHECK(page.starts_with(".TH EAGER\\-QUILL 1 "));
  for (const auto& command : commands()) CHECK(has(page, command.name));
  for (const auto& option : options()) {
    std::string name = "\\-\\-";
    for (const char c : std::string_view(option.name)) name += c == '-' ? "\\-" : std::string(1, c);
    CAPTURE(option.name);
    CHECK((option.is_for_developers() || has(page, name)));
  }
  for (const auto& word : session_commands()) CHECK(has(page, std::string(".B ") + word.name));
}

TEST_CASE("the completions of shells are sound, and offer what there is") {
  const TemporaryFolder folder;
  folder.write("c.bash", bash_completion());
  CHECK(run_program("/bin/bash", {"-n", folder.path("c.bash")}).status == 0);
  const auto offered = [&](const std::string& words, int at) {
    folder.write("ask.bash", ". ./c.bash\nCOMP_WORDS=(" + words + ")\nCOMP_CWORD=" + std::to_string(at) +
                                 "\n_eager_quill\necho \"${COMPREPLY[*]}\"\n");
    return run_program("/bin/bash", {"ask.bash"}, "", folder.path()).out;
  };
  CHECK(offered("eager-quill re", 1) == "report\n");
  CHECK(has(offered("eager-quill run --th", 2), "--threads"));
  CHECK_FALSE(has(offered("eager-quill check --", 2), "--threads"));
  CHECK(has(offered("eager-quill run --color n", 3), "never"));
  folder.write("study.eq", "");
  CHECK(offered("eager-quill run st", 2) == "study.eq\n");
  CHECK(has(zsh_completion(), "'report:Run a script"));
}
