// Writes events as text to a terminal or file.
#pragma once

#include <string>

#include "base/host.h"
#include "base/restored.h"
#include "value/event.h"

namespace quill {

struct TextOptions {
  bool quiet = false;  // omits warnings, timings, titles and paths of files
  bool color = false;
};

// Writes values to print() and everything else to message().
class TextOutput : public Output {
 public:
  TextOutput(Host& host, const TextOptions& options = {}) : host_(host), options_(options) {}
  void tell(const Event& event) override;
  // A message without event, such as an error of usage: "error: …".
  void message(const std::string& text);
  // While the result lives, events are discarded.
  [[nodiscard]] Restored<bool> silence() { return {is_silent_, true}; }

 private:
  Host& host_;
  TextOptions options_;
  bool is_silent_ = false;
};

}  // namespace quill
