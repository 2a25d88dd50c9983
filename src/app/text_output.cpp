#include "app/text_output.h"

#include <fmt/format.h>

#include "app/timings.h"
#include "base/text.h"
#include "value/event_text.h"
#include "value/print.h"

namespace quill {

namespace {

struct Text {
  std::string printed, message;
};

// Converts events to text; `width` in columns.
class Writer {
 public:
  explicit Writer(int width) : width_(width) {}

  Text operator()(const ValueShown& e) const { return {printed_text(e, width_), ""}; }
  Text operator()(const ValuesPrinted& e) const { return {printed_text(e, width_), ""}; }
  Text operator()(const ValueDescribed& e) const { return {printed_text(e, width_), ""}; }
  Text operator()(const NameAssigned& e) const { return {card(e.name, e.value) + "\n", ""}; }
  Text operator()(const SectionBegun& e) const { return {fmt::format("\n{}\n", printable(e.title)), ""}; }
  Text operator()(const WarningGiven& e) const {
    return {"", e.is_repeated ? "" : describe(e.warning, "warning")};
  }
  Text operator()(const HintGiven& e) const { return {"", fmt::format("hint: {}\n", printable(e.text))}; }
  Text operator()(const ErrorMet& e) const {
    return {"", describe(e.error, e.error.kind == Error::Kind::interrupted ? "interrupted" : "error")};
  }
  Text operator()(const FileWritten& e) const { return {"", fmt::format("wrote {}\n", printable(e.path))}; }
  Text operator()(const BlockTimed& e) const { return {"", timing_line(e.timing)}; }
  Text operator()(const TimingsCompared& e) const { return {"", timing_table(e.timings)}; }
  Text operator()(const RunEnded& e) const {
    const auto counted = [](int count, const char* what, const char* rest) {
      return count > 0 ? fmt::format("{} {}{}{}\n", count, what, count == 1 ? "" : "s", rest) : std::string();
    };
    return {"", counted(e.warnings, "warning", "") + counted(e.checks, "check", " passed")};
  }

 private:
  int width_;
};

// Whether an event is reported even in quiet mode.
bool is_always_told(const Event& event) {
  return std::holds_alternative<ValueShown>(event) || std::holds_alternative<ValuesPrinted>(event) ||
         std::holds_alternative<ValueDescribed>(event) || std::holds_alternative<NameAssigned>(event) ||
         std::holds_alternative<ErrorMet>(event);
}

}  // namespace

void TextOutput::tell(const Event& event) {
  if (is_silent_) return;
  if (options_.quiet && !is_always_told(event)) return;
  const auto text = std::visit(Writer(host_.columns()), event);
  if (!text.printed.empty()) host_.print(text.printed);
  if (!text.message.empty()) message(text.message);
}

void TextOutput::message(const std::string& given) {
  const auto text = printable_lines(given);
  if (!options_.color) return host_.message(text);
  auto out = text;
  // Colours that are legible on light and dark backgrounds, as is bold in the default colour.
  for (const auto& [word, code] : {std::pair<std::string, const char*>{"error:", "1;31"},
                                   {"warning:", "1;35"},
                                   {"interrupted:", "1;35"}})
    if (text.starts_with(word))
      out = fmt::format("\033[{}m{}\033[0m{}", code, word, text.substr(word.size()));
  if (const auto at = out.find("\n  hint:"); at != std::string::npos)
    out = fmt::format("{}\n  \033[1mhint:\033[0m{}", out.substr(0, at), out.substr(at + 8));
  host_.message(out);
}

}  // namespace quill
