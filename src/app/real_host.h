// The operating system: file system, standard streams, terminal.
#pragma once

#include "app/sandbox.h"
#include "base/host.h"

namespace quill {

class RealHost : public Host {
 public:
  Outcome<std::string> read_file(const std::string& path) override;
  Outcome<Done> write_file(const std::string& path, std::string_view bytes) override;
  Outcome<std::string> read_below(const Folders& folders, const std::string& path) override;
  Outcome<OpenFilePtr> open_below(const Folders& folders, const std::string& path) override;
  Outcome<Done> make_below(const Folders& folders, const std::string& path, const FileMaker& maker) override;
  Outcome<Done> write_below(const Folders& folders, const std::string& path, std::string_view bytes) override;
  Outcome<Done> remove_below(const Folders& folders, const std::string& path) override;
  std::string stamp(const std::string& path) override;
  void print(std::string_view text) override;
  void draw(std::string_view text) override;
  void message(std::string_view text) override;
  int columns() override;
  double seconds() override;
  double time_of_day() override;
  Outcome<std::string> ask(const std::string& question) override;

  // Why files cannot be written to the folder, which need not exist; "" if they can.
  static std::string why_not_writable(const std::string& folder);

  // Flushes printed text; "" or the reason why not all of it could be written.
  std::string flush();

  // Whether messages go to a terminal that supports colours.
  static bool wants_color();
  // The complete input, also from a pipe.
  static Outcome<std::string> read_standard_input();

 private:
  Outcome<Descriptor> find_below(const Folders& folders, const std::string& path);

  Sandbox fence_;
  std::string print_failure_;  // the first one
};

}  // namespace quill
