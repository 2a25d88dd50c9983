// The outside world of the program: the file system, standard output and error, the terminal.
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

  // Whether files could be written below the folder, which need not exist yet; "" or the reason why not.
  static std::string why_not_writable(const std::string& folder);

  // Hands on all that was printed; "" or the reason why not all of it could be.
  std::string flush();

  // Whether messages go to a terminal that may be coloured.
  static bool wants_color();
  // All of it, also from a pipe.
  static Outcome<std::string> read_standard_input();

 private:
  Outcome<Descriptor> find_below(const Folders& folders, const std::string& path);

  Sandbox fence_;
  std::string print_failure_;  // the first one
};

}  // namespace quill
