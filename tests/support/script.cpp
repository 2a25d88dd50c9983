#include "support/script.h"

#include <cstdlib>

#include "engine/hot.h"

#include <catch2/catch.hpp>

#include "value/print.h"

namespace {

// All tests may be run with native code from the first iteration on, or without any.
[[maybe_unused]] const bool native_is_chosen = [] {
  const char* const text = std::getenv("QUILL_TEST_NATIVE");
  const std::string use = text ? text : "";
  if (use == "off") quill::default_native_use() = quill::NativeUse::off;
  if (use == "at_once") quill::default_native_use() = quill::NativeUse::at_once;
  return true;
}();

}  // namespace

namespace quill::test {

PromptSession::PromptSession() {
  options.interactive = true;
  session = std::make_unique<TestSession>(host, options);
}

std::string PromptSession::shown(const std::string& name) const {
  const auto* value = session->find(name);
  return value ? inline_text(plain_value(*value)) : "none";
}

Ran run(const std::string& text, SessionOptions options) {
  Ran out;
  TestSession session(out.host, options);
  out.ok = session.run("test.eq", text);
  out.printed = out.host.printed;
  out.messages = out.host.messages;
  return out;
}

std::string error_of(const std::string& text) {
  const auto out = run(text);
  CAPTURE(text, out.printed);
  CHECK_FALSE(out.ok);
  return out.messages;
}

Value value_of(const std::string& text, const std::string& name) {
  MemoryHost host;
  TestSession session(host, {});
  const bool ok = session.run("test.eq", text);
  CAPTURE(text, host.messages);
  REQUIRE(ok);
  REQUIRE(session.find(name) != nullptr);
  return *session.find(name);
}

double number_of(const std::string& expression) {
  const auto value = value_of("result = " + expression);
  CAPTURE(expression);
  REQUIRE(value.is_number());
  return value.number();
}

void check_calls(const std::vector<std::array<std::string, 2>>& rows) {
  for (const auto& [expression, result] : rows) {
    CAPTURE(expression);
    CHECK(inline_text(value_of("result = " + expression)) == result);
  }
}

void check_errors(const std::vector<std::array<std::string, 3>>& rows) {
  for (const auto& [program, message, hint] : rows) {
    CAPTURE(program);
    const auto messages = error_of(program);
    CHECK(messages.substr(0, messages.find('\n')) == "error: " + message);
    if (hint.empty())
      CHECK(messages.find("hint:") == std::string::npos);
    else
      CHECK(messages.find("\n  hint: " + hint + "\n") != std::string::npos);
  }
}

}  // namespace quill::test
