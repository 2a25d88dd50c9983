// What built-ins share while a program runs: files, output, random numbers, the figure being drawn.
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

// The figure whose block is open, and the panel in it that drawing calls go to.
class Drawing {
 public:
  void open_figure(Figure figure, bool extends = false);
  void open_panel(Panel panel);
  // One frame of an animated figure is complete.
  void close_frame(std::string label);
  // The figure when its block closes; nothing when a panel closed.
  std::optional<Figure> close_block();
  void abandon();
  bool is_open() const { return figure_.has_value(); }
  Figure& figure();
  // The panel for a layer or an axis; Error outside of a panel in a figure with several.
  Panel& panel(std::string_view what);

 private:
  void check_cells(const Panel& panel) const;
  // What all frames have in common: the names along the axes.
  void inherit(Panel& panel) const;
  std::optional<Figure> figure_;
  bool in_panel_ = false;
  bool extends_ = false;  // panels may open again
  std::size_t open_panel_ = 0;
};

// What statements set for those that follow.
struct Settings {
  int digits = 5;      // significant, of printed numbers
  int digits_set = 0;  // how often, so that setting what it is already can be seen
  // Of what figures do not say themselves; another one whenever it is set.
  std::shared_ptr<const Figure> figure_defaults = std::make_shared<const Figure>();
};

// A version of a file that a session wrote.
struct FileVersion {
  std::string path;         // where it lies
  std::string fingerprint;  // of its bytes; "" where versions are not kept
};
// By the normal path under which it may be read.
using FileVersions = std::map<std::string, FileVersion>;

// What a session remembers from one entry to the next beside the values of names. A value.
struct Surroundings {
  explicit Surroundings(std::uint64_t seed) : random(seed) {}
  RandomStream random;
  std::int64_t random_uses = 0;                      // how often it was asked or set
  std::vector<std::weak_ptr<RandomStream>> streams;  // that values hold
  Settings settings;
  std::set<std::string> figure_names;                            // used in this run
  std::map<std::string, std::shared_ptr<const Figure>> figures;  // that were written, for adding to them
  // A file in use: its text, to see whether it changed, and its names, which nobody changes.
  struct Used {
    std::string text;
    Value names;
  };
  std::map<std::string, Used> modules;
  // Shared with the states before until something is written.
  std::shared_ptr<FileVersions> files = std::make_shared<FileVersions>();
};

struct SessionState : Surroundings {
  // With the names of a module that outlives it, if one is given.
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
  std::string script_folder;  // files are read relative to it
  Drawing drawing;

  // Lays the figure out and writes its files.
  virtual void write_figure(const Figure& figure) = 0;
  // The bytes of a file that the script names: what this run wrote under that name, or the file as seen from
  // the script. Error when it lies outside of the folders that a script reads.
  virtual std::string read_input(const std::string& name) = 0;
  // The same file, open for reading parts of it. Its record is complete when the run ends: `digest` says then
  // what was read.
  virtual OpenFilePtr open_input(const std::string& name, std::function<std::string()> digest) = 0;
  // What `read` makes of the bytes of such a file. A session that reuses values of earlier runs returns the
  // value that was made of the same bytes in the same way; `how` says everything else that the value depends
  // on.
  virtual Value loaded(const std::string& name, const std::string& /*how*/,
                       const std::function<Value(std::string bytes)>& read) {
    return read(read_input(name));
  }
  // Writes a file whole, by its name below the output folder, and reports its path. Error when it would leave
  // the folders that a script writes.
  virtual void write_output(const std::string& name, std::string_view bytes) = 0;
  // Where a file that is written now comes from, as one line; "" when there is no script that writes it.
  virtual std::string provenance(const std::string& file) = 0;
  // The answer to a question: set from outside, typed at the terminal, or the default.
  virtual Value ask(const std::string& name, const Value* fallback) = 0;
  // The time at which the run began, or the one set from outside, in seconds since 1970.
  virtual double now() = 0;
  // The random numbers of the session, to be drawn from or set.
  RandomStream& random() {
    ++state.random_uses;
    return state.random;
  }
  // Closes the panel or the figure whose block ends, which writes the figure.
  void close_drawing();
};

}  // namespace quill
