// Services of the session for statements of a running program.
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
  // Value of an input: set from outside, or the default.
  virtual Value input(const std::string& name, const Value& fallback, const std::string& description) = 0;
  virtual void close_block() = 0;
  // Called when a frame of an animated figure is complete; `value` names it.
  virtual void close_frame(const Value& value) = 0;
  virtual void warn(const Error& warning) = 0;
  // Reports the outcome of an expectation at a location; `text` is its condition.
  virtual void checked(const Location& location, std::string_view text, bool passed) = 0;
  // Runs a used file once and returns a value whose parts are its names.
  virtual Value use_file(const std::string& name) = 0;
  virtual double clock() = 0;  // in seconds
  virtual void timed(const Timing& timing) = 0;
  virtual RandomStream& random() = 0;  // to be drawn from
  virtual std::shared_ptr<const void> random_state() = 0;
  virtual void set_random_state(const std::shared_ptr<const void>& state) = 0;
};

}  // namespace quill
