#include "value/event_text.h"

#include "value/print.h"

namespace quill {

std::string printed_text(const ValueShown& event, int width) {
  if (width == kTextWidth && !event.text.empty()) return event.text;
  return labelled(event.label, event.value, {.digits = event.digits, .width = width}) + "\n";
}

std::string printed_text(const ValuesPrinted& event, int width) {
  if (width == kTextWidth && !event.text.empty()) return event.text;
  std::string out;
  for (const auto& v : event.values) {
    const auto text = layout(v, {.digits = event.digits, .width = width});
    const bool several_lines = text.find('\n') != std::string::npos;
    out += (&v == event.values.data() ? "" : several_lines ? "\n" : " ") + text;
  }
  return out + "\n";
}

std::string printed_text(const ValueDescribed& event, int width) {
  if (width == kTextWidth && !event.text.empty()) return event.text;
  // Objects made by built-ins are described by one line.
  const auto head = card(event.name, event.value);
  const bool in_one_line = event.value.is(Kind::library) || head.starts_with(event.name + " = ");
  return head + "\n" + (in_one_line ? "" : layout(event.value, {event.digits, width, event.rows}) + "\n");
}

}  // namespace quill
