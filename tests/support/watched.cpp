#include "support/watched.h"

#include <catch2/catch.hpp>
#include <filesystem>

#include "figure/animation.h"
#include "figure/layout.h"
#include "render/render.h"
#include "support/program.h"
#include "support/script.h"

namespace quill::test {

namespace {

class DiskReader : public MemoryHost {
 public:
  Outcome<std::string> read_file(const std::string& path) override {
    if (!std::filesystem::is_regular_file(path)) return MemoryHost::read_file(path);
    return {read_text(path), ""};
  }
  Outcome<std::string> read_below(const Folders&, const std::string& path) override {
    return read_file(path);
  }
};

class Watcher : public TestSession {
 public:
  using TestSession::TestSession;
  std::vector<WatchedFigure> seen;
  void write_figure(const Figure& figure) override {
    const auto measurer = make_text_measurer();
    // Of an animated figure the first frame.
    auto list = lay_out(still_of(figure), *measurer);
    auto svg = render(list, "svg", figure.dpi);
    seen.push_back({figure, std::move(list), std::move(svg)});
    Session::write_figure(figure);
  }
};

}  // namespace

std::vector<WatchedFigure> figures_of(const std::string& path) {
  DiskReader host;
  SessionOptions options;
  options.script_folder = std::filesystem::path(path).parent_path().string();
  Watcher session(host, options);
  const bool ok = session.run(path, read_text(path));
  CAPTURE(path, host.messages);
  REQUIRE(ok);
  return std::move(session.seen);
}

}  // namespace quill::test
