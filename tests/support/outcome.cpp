#include "support/outcome.h"

#include <bit>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdlib>

#include "support/effort.h"
#include "support/script.h"
#include "value/print.h"

namespace quill::test {

namespace {

void add_bits(const Value& value, std::vector<std::uint64_t>& bits) {
  if (value.is(Kind::tuple)) {
    for (const auto& item : value.object<TupleObject>().items) add_bits(item, bits);
    return;
  }
  if (value.is(Kind::record)) {
    for (const auto& [name, field] : value.object<RecordObject>().fields) add_bits(field, bits);
    return;
  }
  if (!value.is_array_like() || !is_numeric(element_type_of(value))) return;
  if (element_type_of(value) == ElementType::complex128) {
    for (const auto z : to_array(value).to_vector<Complex>())
      for (const double x : {z.real(), z.imag()})
        bits.push_back(std::isnan(x) ? ~std::uint64_t{0} : std::bit_cast<std::uint64_t>(x));
    return;
  }
  for (const double x : to_array(value).converted(ElementType::float64).to_vector<double>())
    bits.push_back(std::isnan(x) ? ~std::uint64_t{0} : std::bit_cast<std::uint64_t>(x));
}

}  // namespace

Outcome outcome_of(const std::string& program, NativeUse use) {
  MemoryHost host;
  SessionOptions options;
  options.native = use;
  TestSession session(host, options);
  Outcome out;
  out.ok = session.run("test.eq", program);
  out.text = host.printed + host.messages;
  for (const std::string name :
       {"x", "y", "n", "b", "s", "t", "u", "v", "w", "m", "g", "p", "h", "z", "outside", "row", "result"})
    if (const auto* value = session.find(name)) {
      out.text += name + " = " + inline_text(*value) + ", " + type_name(*value) + "\n";
      add_bits(*value, out.bits);
    }
  return out;
}

bool is_same(const Outcome& got, const Outcome& wanted) {
  CHECK(got.ok == wanted.ok);
  CHECK(got.text == wanted.text);
  CHECK(got.bits == wanted.bits);
  return got.text == wanted.text && got.bits == wanted.bits;
}

void compare_programs(const std::function<std::string(unsigned seed)>& program, int usual, double good) {
  if (native_maker() == nullptr) return;
  const char* const more = std::getenv("QUILL_TEST_LOOPS");
  const unsigned count =
      more ? static_cast<unsigned>(std::atoi(more)) : static_cast<unsigned>(repeats(usual));
  int found = 0;
  for (unsigned seed = 1; seed <= count; ++seed) {
    const auto text = program(seed);
    CAPTURE(seed, text);
    const auto wanted = outcome_of(text, NativeUse::off);
    found += wanted.ok;
    if (!is_same(outcome_of(text, NativeUse::at_once), wanted)) break;
  }
  CHECK(found > good * count);
}

double native_result(const std::string& program) {
  CAPTURE(program);
  const auto wanted = outcome_of(program, NativeUse::off);
  REQUIRE(wanted.ok);
  is_same(outcome_of(program, NativeUse::at_once), wanted);
  MemoryHost host;
  TestSession session(host, {});
  REQUIRE(session.run("test.eq", program));
  return session.find("result")->number();
}

}  // namespace quill::test
