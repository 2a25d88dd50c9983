// Driving the built program on files in a temporary folder.
#pragma once

#include <memory>
#include <string>
#include <vector>

namespace quill::test {

struct Result {
  int status = -1;
  std::string out, err;
};

// A folder that is removed at the end.
class TemporaryFolder {
 public:
  explicit TemporaryFolder(const std::string& name = "eager quill test");
  ~TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  std::string path(const std::string& name = "") const { return name.empty() ? path_ : path_ + "/" + name; }
  void write(const std::string& name, const std::string& text) const;
  std::string read(const std::string& name) const;
  bool has(const std::string& name) const;

 private:
  std::string path_;
};

// Runs a program with arguments, standard input and current folder; no shell in between.
Result run_program(const std::string& program, const std::vector<std::string>& arguments,
                   const std::string& input = "", const std::string& folder = "");

// The same, while the test does something else.
class RunningProgram {
 public:
  RunningProgram(const std::string& program, const std::vector<std::string>& arguments,
                 const std::string& input = "", const std::string& folder = "");
  ~RunningProgram();
  RunningProgram(const RunningProgram&) = delete;
  RunningProgram& operator=(const RunningProgram&) = delete;
  void send(int signal) const;
  Result finish();

 private:
  std::unique_ptr<TemporaryFolder> files_;
  int child_ = -1;
};
void wait_seconds(double seconds);

// Whether a text has a part.
inline bool has(const std::string& text, const std::string& part) {
  return text.find(part) != std::string::npos;
}

std::string read_text(const std::string& path);

}  // namespace quill::test
