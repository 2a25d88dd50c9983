#include "app/browse.h"

#include <fmt/format.h>

#include <filesystem>
#include <optional>

#include "app/session_commands.h"
#include "app/user_program.h"
#include "builtins/reference.h"
#include "builtins/tables.h"

namespace quill {

namespace {

namespace fs = std::filesystem;

// Folder of the pages: beside the installed program, or in the build folder.
std::optional<fs::path> site_folder() {
  std::error_code error;
  const auto program = fs::read_symlink("/proc/self/exe", error);
  if (error) return std::nullopt;
  for (const char* relative : {"../../share/doc/eager-quill/site", "../../site"}) {
    const auto folder = (program / relative).lexically_normal();
    if (fs::exists(folder / "index.html", error)) return folder;
  }
  return std::nullopt;
}

// The page of a name within the site; "" if there is none.
std::string page_of(const std::string& name) {
  if (name.empty()) return "index.html";
  if (const int row = builtins().find(name); row >= 0)
    return fmt::format("reference/{}#{}", reference_page_of(builtins().row(row).family, ".html"), name);
  if (find_topic(name)) return "reference/language.html#" + name;
  return "";
}

}  // namespace

int browse_help(TextOutput& output, const std::string& name) {
  const auto page = page_of(name);
  if (page.empty()) {
    tell_no_help(output, name);
    return 1;
  }
  const auto folder = site_folder();
  if (!folder) {
    output.message("error: the pages of the documents are not installed\n  hint: ./dev site makes them\n");
    return 1;
  }
  const auto address = "file://" + (*folder / page).string();
  if (run_for_user("xdg-open", address, false) == 0) return 0;
  output.message(fmt::format("error: the desktop cannot open a browser\n  hint: open {}\n", address));
  return 1;
}

}  // namespace quill
