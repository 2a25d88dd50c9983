// State shared by built-ins while a program runs: files, output, random numbers, the current figure.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "base/host.h"
#include "compiler/program.h"
#include "figure/model.h"
#include "numerics/random.h"
#include "value/event.h"
#include "value/runtime.h"

namespace quill {

// The open figure, and its current panel.
class Drawing {
 public:
  void open_figure(Figure figure, bool extends = false);
  void open_panel(Panel panel);
  // Ends a frame of an animated figure.
  void close_frame(std::string label);
  // The figure when its block ends; nothing when a panel ends.
  std::optional<Figure> close_block();
  void abandon();
  bool is_open() const { return figure_.has_value(); }
  Figure& figure();
  // Panel for a layer or axis. Throws Error outside of a panel if the figure has several.
  Panel& panel(std::string_view what);

 private:
  void check_cells(const Panel& panel) const;
  // Copies what all frames share: category names along the axes.
  void inherit(Panel& panel) const;
  std::optional<Figure> figure_;
  bool in_panel_ = false;
  bool extends_ = false;  // an extend block: existing panels may be opened again
  std::size_t open_panel_ = 0;
};

// Settings made by statements.
struct Settings {
  int digits = 5;      // significant digits of printed numbers
  int digits_set = 0;  // number of assignments, to notice those without effect
  // Defaults for figures; replaced whenever they are set.
  std::shared_ptr<const Figure> figure_defaults = std::make_shared<const Figure>();
};

// A version of a file written by a session.
struct FileVersion {
  std::string path;         // location on disk
  std::string fingerprint;  // of its bytes; "" if versions are not stored
};
// Versions by normal path.
using FileVersions = std::map<std::string, FileVersion>;

// State of a session besides the values of variables. Copyable.
struct Surroundings {
  explicit Surroundings(std::uint64_t seed) : random(seed) {}
  RandomStream random;
  std::int64_t random_uses = 0;                      // number of draws and seedings
  std::vector<std::weak_ptr<RandomStream>> streams;  // held by values
  Settings settings;
  std::set<std::string> figure_names;                            // used in this run
  std::map<std::string, std::shared_ptr<const Figure>> figures;  // written figures, for `extend`
  // A used file: its text, to detect changes, and its names, which are immutable.
  struct Used {
    std::string text;
    Value names;
  };
  std::map<std::string, Used> modules;
  // Shared between states until something is written.
  std::shared_ptr<FileVersions> files = std::make_shared<FileVersions>();
};

struct SessionState : Surroundings {
  // With the names of an existing module that outlives it, if one is given.
  explicit SessionState(std::uint64_t seed, Module* names = nullptr)
      : Surroundings(seed), module(names != nullptr ? *names : own_) {}
  SessionState(const SessionState&) = delete;
  SessionState& operator=(const SessionState&) = delete;
  Module& module;

 private:
  Module own_;
};

class Context {
 public:
  Context(Host& host, Output& output, SessionState& state) : host(host), output(output), state(state) {}
  virtual ~Context() = default;

  Host& host;
  Output& output;
  SessionState& state;
  std::string script_folder;  // base of relative file names
  Drawing drawing;

  // Lays out a figure and writes its files.
  virtual void write_figure(const Figure& figure) = 0;
  // Bytes of a file named by the script: the version written by this run, else the file relative to the
  // script. Throws Error outside of the folders that a script may read.
  virtual std::string read_input(const std::string& name) = 0;
  // The same file, opened to read parts. `digest` is called at the end of the run and returns a digest of
  // what was read.
  // Null, and nothing is recorded, if the file is smaller than `least`.
  virtual OpenFilePtr open_input(const std::string& name, std::function<std::string()> digest,
                                 std::uint64_t least) = 0;
  // Result of `read` for the bytes of a file. A session may reuse the value made from the same bytes in an
  // earlier run; `how` identifies everything else that it depends on.
  virtual Value loaded(const std::string& name, const std::string& /*how*/,
                       const std::function<Value(std::string bytes)>& read) {
    return read(read_input(name));
  }
  // Writes a complete file into the output folder and reports its path. Throws Error outside of the folders
  // that a script may write.
  virtual void write_output(const std::string& name, std::string_view bytes) = 0;
  // The same for a file that a library writes, given a path.
  virtual void make_output(const std::string& name, const FileMaker& maker) = 0;
  // Provenance of a file written now, in one line; "" if no script writes it.
  virtual std::string provenance(const std::string& file) = 0;
  // Answer to a question: set from outside, typed at the terminal, or the default.
  virtual Value ask(const std::string& name, const Value* fallback) = 0;
  // Time at which the run began, or the one set from outside, in seconds since 1970.
  virtual double now() = 0;
  // The session's random numbers.
  RandomStream& random() {
    ++state.random_uses;
    return state.random;
  }
  // Ends the current panel or figure; the figure is written.
  void close_drawing();
};

}  // namespace quill
