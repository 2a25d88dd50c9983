#include "support/program.h"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <stdexcept>
#include <thread>

namespace quill::test {

namespace fs = std::filesystem;

std::string read_text(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::ostringstream text;
  text << file.rdbuf();
  return text.str();
}

TemporaryFolder::TemporaryFolder(const std::string& name) {
  auto pattern = (fs::temp_directory_path() / (name + " XXXXXX")).string();
  if (mkdtemp(pattern.data()) == nullptr) throw std::runtime_error("no temporary folder");
  path_ = pattern;
}

TemporaryFolder::~TemporaryFolder() {
  std::error_code ignored;
  fs::remove_all(path_, ignored);
}

void TemporaryFolder::write(const std::string& name, const std::string& text) const {
  fs::create_directories(fs::path(path(name)).parent_path());
  std::ofstream(path(name), std::ios::binary) << text;
}

std::string TemporaryFolder::read(const std::string& name) const { return read_text(path(name)); }
bool TemporaryFolder::has(const std::string& name) const { return fs::exists(path(name)); }

RunningProgram::RunningProgram(const std::string& program, const std::vector<std::string>& arguments,
                               const std::string& input, const std::string& folder)
    : files_(std::make_unique<TemporaryFolder>("eager quill output")) {
  files_->write("in", input);
  child_ = fork();
  if (child_ == 0) {
    if (!folder.empty() && chdir(folder.c_str()) != 0) _exit(126);
    const auto redirect = [](const std::string& path, int flags, int to) {
      dup2(open(path.c_str(), flags, 0600), to);
    };
    redirect(files_->path("in"), O_RDONLY, 0);
    redirect(files_->path("out"), O_WRONLY | O_CREAT, 1);
    redirect(files_->path("err"), O_WRONLY | O_CREAT, 2);
    std::vector<char*> argv = {const_cast<char*>(program.c_str())};
    for (const auto& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
    argv.push_back(nullptr);
    execv(program.c_str(), argv.data());
    _exit(127);
  }
}

RunningProgram::~RunningProgram() {
  if (child_ <= 0) return;
  kill(child_, SIGKILL);
  finish();
}

void RunningProgram::send(int signal) const { kill(child_, signal); }

Result RunningProgram::finish() {
  Result result;
  int status = 0;
  waitpid(child_, &status, 0);
  child_ = -1;
  result.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  result.out = files_->read("out");
  result.err = files_->read("err");
  return result;
}

Result run_program(const std::string& program, const std::vector<std::string>& arguments,
                   const std::string& input, const std::string& folder) {
  return RunningProgram(program, arguments, input, folder).finish();
}

void wait_seconds(double seconds) { std::this_thread::sleep_for(std::chrono::duration<double>(seconds)); }

}  // namespace quill::test
