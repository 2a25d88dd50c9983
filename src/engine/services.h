// What the statements of a running program ask of the session.
#pragma once

#include <memory>
#include <string>

#include "base/error.h"
#include "value/event.h"
#include "value/value.h"

namespace quill {

class RandomStream;

class Services {
 public:
  virtual ~Services() = default;
  // A bare expression at top level; `label` is its source text.
  virtual void show(const std::string& label, const Value& value) = 0;
  // An assignment at the prompt.
  virtual void card(const std::string& name, const Value& value) = 0;
  virtual void begin_section(const std::string& title) = 0;
  // The value of an input: what was set from outside, or the default.
  virtual Value input(const std::string& name, const Value& fallback, const std::string& description) = 0;
  virtual void close_block() = 0;
  // One frame of an animated figure is complete; its value names it.
  virtual void close_frame(const Value& value) = 0;
  virtual void warn(const Error& warning) = 0;
  // An expectation, at its place, was met or not; `text` is its condition.
  virtual void checked(const Place& place, std::string_view text, bool passed) = 0;
  // A used file: run once, its names as parts of the value.
  virtual Value use_file(const std::string& name) = 0;
  virtual double clock() = 0;  // in seconds
  virtual void timed(const Timing& timing) = 0;
  virtual RandomStream& random() = 0;  // to be drawn from
  virtual std::shared_ptr<const void> random_state() = 0;
  virtual void set_random_state(const std::shared_ptr<const void>& state) = 0;
};

}  // namespace quill
