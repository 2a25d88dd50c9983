// Events as text for a terminal or a file.
#pragma once

#include <string>

#include "base/host.h"
#include "base/restored.h"
#include "value/event.h"

namespace quill {

struct TextOptions {
  bool quiet = false;  // neither warnings, timings and titles nor paths of files
  bool color = false;
};

// What people read of a run: values go to print(), all that is about them to message().
class TextOutput : public Output {
 public:
  TextOutput(Host& host, const TextOptions& options = {}) : host_(host), options_(options) {}
  void tell(const Event& event) override;
  // A message that no event stands for, as of wrong usage: "error: …".
  void message(const std::string& text);
  // While what it gives lives, events are not reported.
  [[nodiscard]] Restored<bool> silence() { return {is_silent_, true}; }

 private:
  Host& host_;
  TextOptions options_;
  bool is_silent_ = false;
};

}  // namespace quill
