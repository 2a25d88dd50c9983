// Fused expressions against the same operations one by one.
#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>
#include <random>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/mathematics.h"
#include "array/reduce.h"
#include "array/scalar.h"
#include "base/parallel.h"
#include "fusion/evaluate.h"

using namespace quill;
using fusion::Expression;
using fusion::Fused;
using fusion::Input;
using fusion::InstructionSet;

namespace {

bool same_bits(const Array& a, const Array& b) {
  if (a.type() != b.type() || !(a.shape() == b.shape())) return false;
  return visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    const auto x = a.to_vector<T>(), y = b.to_vector<T>();
    for (std::size_t k = 0; k < x.size(); ++k) {
      const T p = x[k], q = y[k];
      // The sign and payload of nan mean nothing.
      if (p != p && q != q) continue;
      if (std::memcmp(&p, &q, sizeof(T)) != 0) return false;
    }
    return true;
  });
}

// The operations of an expression one after the other, each into an array.
Array one_by_one(const Expression& e, const std::vector<Array>& inputs,
                 std::vector<int>* exceeded = nullptr) {
  std::vector<Array> made;
  for (const auto& step : e.steps) {
    const auto at = [&](int k) -> const Array& { return made[static_cast<std::size_t>(step.from[k])]; };
    Domain domain;
    switch (step.kind) {
      case fusion::StepKind::input: made.push_back(inputs[static_cast<std::size_t>(step.from[0])]); break;
      case fusion::StepKind::unary: made.push_back(apply(step.unary, at(0), &domain)); break;
      case fusion::StepKind::binary: made.push_back(apply(step.binary, at(0), at(1), &domain)); break;
      case fusion::StepKind::convert: made.push_back(at(0).converted(step.type)); break;
      case fusion::StepKind::pick: made.push_back(pick(at(0), at(1), at(2))); break;
    }
    if (domain.exceeded && exceeded) exceeded->push_back(static_cast<int>(made.size()) - 1);
  }
  return e.reduction ? reduce(*e.reduction, made.back()) : made.back();
}

class Random {
 public:
  // `mixed`: whole and complex numbers are among the inputs.
  explicit Random(unsigned seed, bool mixed = false) : mixed_(mixed), engine_(seed) {}
  int below(int n) { return static_cast<int>(engine_() % static_cast<unsigned>(n)); }
  double number() {
    const double special[] = {0.0, -0.0, NAN, INFINITY, -INFINITY, 1e300, -1e-300, 5e-324, 800, -1};
    if (below(12) == 0) return special[below(10)];
    return std::uniform_real_distribution<double>(-4, 4)(engine_);
  }

  // An array that broadcasts to the shape: some axes missing or of length 1, sliced, reversed or transposed.
  Array array(const Shape& shape, ElementType type) {
    Shape own = shape;
    while (!own.empty() && below(4) == 0) own.erase(0);
    for (int k = 0; k < own.count(); ++k)
      if (below(5) == 0) own[k] = 1;
    Shape room = own;
    std::vector<Index> by(static_cast<std::size_t>(own.count()), 1);
    for (int k = 0; k < own.count(); ++k) {
      const int choice = below(5);
      by[static_cast<std::size_t>(k)] = choice == 0 ? 2 : choice == 1 ? -1 : 1;
      if (choice == 0) room[k] = own[k] * 2;
    }
    const bool turned = own.count() > 1 && below(3) == 0;
    Shape laid = room;
    if (turned) std::swap(laid[0], laid[own.count() - 1]);
    Array whole(type, laid);
    visit_numeric(type, [&]<class T>(Tag<T>) {
      T* to = whole.mutable_data<T>();
      for (Index k = 0; k < whole.size(); ++k) {
        if constexpr (std::is_same_v<T, bool>)
          to[k] = below(2) == 0;
        else if constexpr (std::is_floating_point_v<T>)
          to[k] = static_cast<T>(number());
        else if constexpr (std::is_integral_v<T>)
          to[k] = mixed_ && below(400) == 0
                      ? (below(2) ? std::numeric_limits<T>::max() : std::numeric_limits<T>::min())
                      : static_cast<T>(below(100));
        else if constexpr (std::is_same_v<T, Complex>)
          to[k] = {number(), below(4) == 0 ? 0 : number()};
      }
    });
    if (turned) {
      std::vector<int> order;
      for (int k = 0; k < own.count(); ++k) order.push_back(k);
      std::swap(order.front(), order.back());
      whole = whole.permuted(order);
    }
    Strides strides = whole.strides();
    Index offset = whole.offset();
    for (int k = 0; k < own.count(); ++k) {
      if (by[static_cast<std::size_t>(k)] == -1 && own[k] > 0) offset += (own[k] - 1) * strides[k];
      strides[k] *= by[static_cast<std::size_t>(k)];
    }
    return whole.view(offset, own, strides);
  }

  Expression expression(int operations, std::vector<ElementType>& types) {
    static constexpr Unary functions[] = {Unary::negate, Unary::abs,  Unary::sqrt, Unary::exp,
                                          Unary::log,    Unary::sin,  Unary::tanh, Unary::floor,
                                          Unary::round,  Unary::sign, Unary::sinh, Unary::acosh,
                                          Unary::cbrt,   Unary::erf,  Unary::log1p};
    static constexpr Unary mixed_functions[] = {Unary::negate, Unary::negate, Unary::abs,  Unary::abs,
                                                Unary::conj,   Unary::real,   Unary::imag, Unary::phase};
    static constexpr Binary pairs[] = {Binary::add,     Binary::subtract, Binary::multiply, Binary::divide,
                                       Binary::minimum, Binary::maximum,  Binary::power,    Binary::remainder,
                                       Binary::atan2,   Binary::hypot};
    Expression e;
    std::vector<int> numbers, booleans;
    const auto input = [&](ElementType type) {
      types.push_back(type);
      return e.add_input();
    };
    const auto number = [&] {
      if (numbers.empty() || below(3) == 0) {
        static constexpr ElementType choices[] = {ElementType::float64, ElementType::float64,
                                                  ElementType::float32, ElementType::uint8,
                                                  ElementType::int32};
        static constexpr ElementType mixed[] = {ElementType::int64,      ElementType::int64,
                                                ElementType::int32,      ElementType::uint8,
                                                ElementType::complex128, ElementType::float64};
        numbers.push_back(input(mixed_ ? mixed[below(6)] : choices[below(5)]));
        return numbers.back();
      }
      return numbers[static_cast<std::size_t>(below(static_cast<int>(numbers.size())))];
    };
    const auto boolean = [&] {
      if (booleans.empty()) booleans.push_back(input(ElementType::boolean));
      return booleans[static_cast<std::size_t>(below(static_cast<int>(booleans.size())))];
    };
    for (int k = 0; k < operations; ++k) switch (below(mixed_ ? 7 : 6)) {
        case 6: {
          static constexpr ElementType to[] = {ElementType::float64, ElementType::float32, ElementType::int64,
                                               ElementType::int32};
          numbers.push_back(e.add_conversion(to[below(4)], number()));
          break;
        }
        case 0:
          if (mixed_)
            numbers.push_back(e.add(mixed_functions[below(8)], number()));
          else
            numbers.push_back(e.add(functions[below(15)], number()));
          break;
        case 1:
          booleans.push_back(
              e.add(static_cast<Binary>(static_cast<int>(Binary::equal) + below(6)), number(), number()));
          break;
        case 2:
          booleans.push_back(
              e.add(below(2) ? Binary::logical_and : Binary::logical_or, boolean(), boolean()));
          break;
        case 3: numbers.push_back(e.add_pick(boolean(), number(), number())); break;
        default: numbers.push_back(e.add(pairs[below(10)], number(), number())); break;
      }
    // Only what leads to the result.
    std::vector<int> of;
    const auto out = e.up_to(static_cast<int>(e.steps.size()) - 1, of);
    std::vector<ElementType> needed;
    for (const int k : of)
      if (e.steps[static_cast<std::size_t>(k)].kind == fusion::StepKind::input)
        needed.push_back(types[static_cast<std::size_t>(e.steps[static_cast<std::size_t>(k)].from[0])]);
    types = needed;
    return out;
  }

  Shape shape() {
    static constexpr Index lengths[] = {1, 2, 3, 7, 8, 9, 64, 65, 130, 511, 513, 700};
    switch (below(4)) {
      case 0: return {lengths[below(12)] * (below(2) ? 1 : 37)};
      case 1: return {lengths[below(7)], lengths[below(12)]};
      case 2: return {lengths[below(12)], lengths[below(5)]};
      default: return {lengths[below(4)], lengths[below(5)], lengths[below(8)]};
    }
  }

 private:
  bool mixed_;
  std::mt19937 engine_;
};

}  // namespace

TEST_CASE("an expression is inlined") {
  Expression e;
  const int x = e.add_input(), y = e.add_input();
  e.add_pick(e.add(Binary::less, x, y),
             e.add(Unary::exp, e.add(Unary::negate, e.add(Binary::multiply, x, x))),
             e.add(Binary::hypot, x, y));
  CHECK(dump(e) == "pick((x1 < x2), exp(-(x1 * x1)), hypot(x1, x2))");
  e.reduction = Reduction::sum;
  CHECK(dump(e) == "sum(pick((x1 < x2), exp(-(x1 * x1)), hypot(x1, x2)))");
}

TEST_CASE("random expressions have the bits of their operations one by one, in all instruction sets") {
  const auto best = fusion::best_instruction_set();
  int evaluated = 0;
  for (unsigned seed = 1; seed <= 1500; ++seed) {
    Random random(seed);
    std::vector<ElementType> types;
    auto e = random.expression(1 + random.below(8), types);
    const auto shape = random.shape();
    std::vector<Array> inputs;
    for (const auto type : types) inputs.push_back(random.array(shape, type));
    if (random.below(3) == 0) {
      static constexpr Reduction reductions[] = {Reduction::sum, Reduction::minimum, Reduction::maximum};
      e.reduction = reductions[random.below(3)];
    }
    for (int set = 0; set <= static_cast<int>(best); ++set) {
      fusion::use_instruction_set(static_cast<InstructionSet>(set));
      Fused fused(e);
      Fused::Outcome outcome;
      const std::vector<Input> given(inputs.begin(), inputs.end());
      if (!fused.evaluate(given, outcome)) {
        CHECK(!fused.obstacle().empty());
        continue;
      }
      ++evaluated;
      std::vector<int> exceeded;
      const auto expected = one_by_one(e, inputs, &exceeded);
      INFO("seed " << seed << " " << dump(e) << " set " << set);
      if (e.reduction)
        CHECK(same_bits(outcome.reduced(), expected));
      else
        CHECK(same_bits(*outcome.array, expected));
      CHECK(outcome.exceeded == exceeded);
    }
  }
  fusion::use_instruction_set(best);
  CHECK(evaluated > 1000);
}

TEST_CASE("short elements in row order give the bits of the expression of arrays") {
  int evaluated = 0;
  for (unsigned seed = 1; seed <= 6000; ++seed) {
    Random random(seed);
    std::vector<ElementType> types;
    auto e = random.expression(1 + random.below(8), types);
    if (random.below(3) == 0) e.reduction = random.below(2) ? Reduction::sum : Reduction::maximum;
    const Index count = 1 + random.below(1024);
    std::vector<Array> arrays;
    std::vector<Fused::Plain> plain;
    bool has_array = false;
    for (std::size_t k = 0; k < types.size(); ++k) {
      const auto all = random.array({count}, ElementType::float64).compact();
      // Random arrays may be stretched ones of one element.
      const bool is_single = all.size() != count || random.below(3) == 0;
      has_array = has_array || !is_single;
      arrays.push_back(is_single ? Array::single(*all.data<double>()) : all);
      plain.push_back({.data = arrays.back().data<double>(), .is_single = is_single});
    }
    // Inputs of other types are not for this way.
    const auto is_real = [](ElementType type) { return type == ElementType::float64; };
    if (!has_array || !std::all_of(types.begin(), types.end(), is_real)) continue;
    Fused as_plain(e), as_arrays(e);
    std::vector<double> room(static_cast<std::size_t>(count));
    Fused::PlainOutcome got;
    if (!as_plain.evaluate_plain(plain, count, room.data(), got)) continue;
    Fused::Outcome wanted;
    const std::vector<Input> given(arrays.begin(), arrays.end());
    INFO("seed " << seed << " " << dump(e));
    REQUIRE(as_arrays.evaluate(given, wanted));
    CHECK(wanted.exceeded.empty());
    ++evaluated;
    if (e.reduction) {
      CHECK(same_bits(Array::single(got.number), wanted.reduced().converted(ElementType::float64)));
    } else {
      REQUIRE(got.type == wanted.array->type());
      const auto size = static_cast<std::size_t>(count) * size_of(got.type);
      CHECK(std::memcmp(room.data(), wanted.array->raw_data(), size) == 0);
    }
  }
  CHECK(evaluated > 100);
}

TEST_CASE("threads: large expressions are the same for any number of them") {
  const int threads = thread_count();
  Random random(7);
  const Index n = 300'001;
  const auto x = random.array({n}, ElementType::float64).copied();
  Expression e;
  const int a = e.add_input(), b = e.add_input();
  e.add(Binary::add,
        e.add(Binary::multiply, e.add(Unary::exp, e.add(Unary::negate, e.add(Binary::multiply, a, a))),
              e.add(Unary::cos, e.add(Binary::multiply, b, a))),
        b);
  for (const bool reduces : {false, true}) {
    if (reduces) e.reduction = Reduction::sum;
    Fused::Outcome one, several;
    const double three = 3;
    const Input inputs[] = {x, Input(three, false)};
    set_thread_count(1);
    REQUIRE(Fused(e).evaluate(inputs, one));
    set_thread_count(5);
    REQUIRE(Fused(e).evaluate(inputs, several));
    CHECK((reduces || same_bits(*one.array, *several.array)));
    CHECK(std::memcmp(&one.number, &several.number, sizeof(double)) == 0);
  }
  set_thread_count(threads);
}

TEST_CASE("whole and complex numbers have the bits of their operations one by one, or fail with them") {
  const auto best = fusion::best_instruction_set();
  int evaluated = 0, failed = 0;
  for (unsigned seed = 1; seed <= 2500; ++seed) {
    Random random(seed, true);
    std::vector<ElementType> types;
    const auto e = random.expression(1 + random.below(4), types);
    const auto shape = random.shape();
    std::vector<Array> inputs;
    for (const auto type : types) inputs.push_back(random.array(shape, type));
    std::vector<Input> given(inputs.begin(), inputs.end());
    // A number of the text in the place of one of them.
    static constexpr double literals[] = {0, 1, 2, 7, 300, 5e9, 1e19, -3};
    const double literal = literals[random.below(8)];
    const auto k = static_cast<std::size_t>(random.below(static_cast<int>(inputs.size())));
    const bool has_literal = random.below(3) == 0;
    if (has_literal) {
      inputs[k] = Array::single(literal);
      given[k] = Input(literal, true);
    }
    for (int set = 0; set <= static_cast<int>(best); ++set) {
      fusion::use_instruction_set(static_cast<InstructionSet>(set));
      Fused fused(e);
      Fused::Outcome outcome;
      const bool done = fused.evaluate(given, outcome);
      INFO("seed " << seed << " " << dump(e) << " set " << set << " type " << name_of(types[0]));
      if (has_literal) {  // which has its type from what it meets
        evaluated += done;
        continue;
      }
      std::optional<Array> expected;
      try {
        expected = one_by_one(e, inputs);
      } catch (const Error&) {}
      if (fused.obstacle() == "an integer does not fit its type") {
        CHECK_FALSE(expected);
        ++failed;
      }
      if (!done) continue;
      ++evaluated;
      REQUIRE(expected);
      CHECK(same_bits(*outcome.array, *expected));
    }
  }
  fusion::use_instruction_set(best);
  CHECK(evaluated > 1000);
  CHECK(failed > 50);
}

TEST_CASE("operations that go together have the bits of each alone") {
  Random random(17);
  std::vector<Array> blocks, singles;
  for (int k = 0; k < 5; ++k) {
    blocks.push_back(random.array({700}, ElementType::float64).copied());
    singles.push_back(Array::filled<double>({}, random.number()));
  }
  for (int pattern = 0; pattern < 6; ++pattern)
    for (unsigned single = 0; single < 31; ++single) {
      Expression e;
      std::vector<Array> inputs;
      for (std::size_t k = 0; k < 5; ++k) {
        e.add_input();
        inputs.push_back(single >> k & 1U ? singles[k] : blocks[k]);
      }
      const auto both = [&](Binary op, int a, int b) { return e.add(op, a, b); };
      const auto products = [&] {
        return both(Binary::add, both(Binary::multiply, 0, 1), both(Binary::multiply, 2, 3));
      };
      const auto sum = [&] { return both(Binary::add, both(Binary::add, both(Binary::add, 0, 1), 2), 3); };
      switch (pattern) {
        case 0: products(); break;
        case 1: both(Binary::subtract, products(), 4); break;
        case 2: both(Binary::add, products(), 4); break;
        case 3: both(Binary::multiply, sum(), 4); break;
        case 4: both(Binary::add, both(Binary::multiply, 4, sum()), 1); break;
        default: both(Binary::subtract, both(Binary::multiply, 4, 0), products()); break;
      }
      std::vector<Input> given(inputs.begin(), inputs.end());
      const auto expected = one_by_one(e, inputs);
      if (expected.axes() == 0) continue;
      for (int set = 0; set <= static_cast<int>(fusion::best_instruction_set()); ++set) {
        fusion::use_instruction_set(static_cast<InstructionSet>(set));
        Fused::Outcome outcome;
        INFO(dump(e) << ", single " << single);
        REQUIRE(Fused(e).evaluate(given, outcome));
        CHECK(same_bits(*outcome.array, expected));
      }
    }
}

TEST_CASE("threads: what is reduced of a selection is the reduced selection") {
  const int threads = thread_count();
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  for (const Index n : {1, 7, 127, 1000, 32'768, 40'000, 200'003}) {
    for (const double limit : {-9.0, -1.0, 0.0, 1.5, 9.0}) {
      std::vector<double> numbers;
      for (Index k = 0; k < n; ++k) numbers.push_back(normal(random));
      // Also of every second element, which are put together first.
      const auto all = Array::vector(numbers);
      const auto some = all.view(0, {(n + 1) / 2}, Strides{2});
      for (const auto& values : {all, some}) {
        const auto mask = apply(Binary::greater, values, Array::filled<double>({}, limit));
        const auto selection = select_mask(values, mask);
        for (const auto reduction : {Reduction::sum, Reduction::maximum, Reduction::minimum}) {
          Expression e;
          const int x = e.add_input(), y = e.add_input(), z = e.add_input();
          e.add(Binary::greater, y, z);
          e.selected = x;
          e.reduction = reduction;
          const Input inputs[] = {values, values, Input(limit, false)};
          if (selection.size() == 0 && reduction != Reduction::sum) continue;
          const auto expected = reduce(reduction, selection).data<double>()[0];
          for (int set = 0; set <= static_cast<int>(fusion::best_instruction_set()); ++set)
            for (const int count : {1, 2, 5}) {
              fusion::use_instruction_set(static_cast<InstructionSet>(set));
              set_thread_count(count);
              Fused::Outcome outcome;
              REQUIRE(Fused(e).evaluate(inputs, outcome));
              CHECK(outcome.size == selection.size());
              CHECK(std::memcmp(&outcome.number, &expected, sizeof expected) == 0);
            }
        }
      }
    }
  }
  set_thread_count(threads);
  // A condition of another shape chooses nothing here.
  Expression e;
  const int x = e.add_input(), y = e.add_input();
  e.add(Binary::greater, y, e.add_input());
  e.selected = x;
  e.reduction = Reduction::sum;
  const auto matrix = Array::vector(std::vector<double>(6, 1.0)).with_shape({2, 3});
  const auto row = Array::vector(std::vector<double>(3, 1.0));
  const double zero = 0;
  const Input inputs[] = {matrix, row, Input(zero, false)};
  Fused::Outcome outcome;
  CHECK_FALSE(Fused(e).evaluate(inputs, outcome));
}

TEST_CASE("threads: formulas of selections have the bits of those of what is chosen") {
  const int threads = thread_count();
  std::mt19937_64 random(6);
  for (const Index n : {1, 63, 4096, 4097, 70'000, 600'001}) {
    for (const double share : {0.0005, 0.1, 0.5, 0.999, 1.0}) {
      const auto drawn = [&](auto draw) {
        std::vector<std::decay_t<decltype(draw())>> out;
        for (Index k = 0; k < n; ++k) out.push_back(draw());
        return out;
      };
      std::uniform_real_distribution<double> uniform(0, 1);
      const auto booleans = drawn([&] { return uniform(random); });
      const auto mask = apply(Binary::less, Array::vector(booleans), Array::filled<double>({}, share));
      // Of booleans that are there, and of those that are kept as bits.
      const fusion::Selection selection(mask);
      Expression condition;
      const int left = condition.add_input();
      condition.add(Binary::less, left, condition.add_input());
      const auto all = Array::vector(booleans);
      const Input compared[] = {all, Input(share, false)};
      const auto kept = Fused(condition).select(compared);
      REQUIRE(kept);
      const auto a = Array::vector(drawn([&] { return uniform(random) - 0.5; }));
      const auto f = a.converted(ElementType::float32);
      const auto z = a.converted(ElementType::complex128);
      const auto chosen = select_mask(a, mask);
      REQUIRE(selection.count() == chosen.size());
      REQUIRE(kept->count() == chosen.size());
      if (selection.count() == 0) continue;
      for (Index k = 0, seen = 0; k < n && seen < 2000; ++k)
        if (mask.data<bool>()[k]) {
          REQUIRE(selection.index_of(seen) == k);
          REQUIRE(kept->index_of(seen++) == k);
        }
      for (const auto& other : {a, f, z, mask}) {
        Expression e;
        const int x = e.add_input(), y = e.add_input();
        e.add(Binary::multiply, e.add(Unary::negate, x), e.add_conversion(ElementType::float64, y));
        if (other.type() == ElementType::complex128) {
          e = {};
          const int v = e.add_input(), w = e.add_input();
          e.add(Binary::multiply, e.add(Unary::negate, v), w);
        }
        const auto others = select_mask(other, mask);
        const Input whole[] = {chosen, others};
        Fused::Outcome expected;
        if (!Fused(e).evaluate(whole, expected)) continue;  // not of this type
        for (int set = 0; set <= static_cast<int>(fusion::best_instruction_set()); ++set)
          for (const int count : {1, 3}) {
            fusion::use_instruction_set(static_cast<InstructionSet>(set));
            set_thread_count(count);
            const auto& by = count == 1 ? selection : *kept;
            const Input inputs[] = {{a, by}, {other, by}};
            Fused::Outcome outcome;
            REQUIRE(Fused(e).evaluate(inputs, outcome));
            REQUIRE(outcome.array->shape() == expected.array->shape());
            const auto bytes =
                static_cast<std::size_t>(outcome.array->size()) * size_of(outcome.array->type());
            CHECK(std::memcmp(outcome.array->raw_data(), expected.array->raw_data(), bytes) == 0);
          }
      }
    }
  }
  set_thread_count(threads);
}

TEST_CASE("functions of arrays have the bits of functions of numbers") {
  std::vector<double> numbers;
  for (double x = 1e-320; x < 1e308; x *= 1.37)
    for (const double y : {x, -x}) numbers.push_back(y);
  for (const double y :
       {0.0, -0.0, double(NAN), double(INFINITY), -double(INFINITY), 709.5, 710.4, -745.1, 1e22})
    numbers.push_back(y);
  for (int k = -1000; k <= 1000; ++k) numbers.push_back(k * 0.00137);
  const auto array = Array::vector(numbers);
  const auto best = fusion::best_instruction_set();
  for (int set = 0; set <= static_cast<int>(best); ++set) {
    fusion::use_instruction_set(static_cast<InstructionSet>(set));
    for (int op = 0; op < static_cast<int>(Unary::is_nan); ++op) {
      const auto function = static_cast<Unary>(op);
      if (function == Unary::logical_not) continue;
      Expression e;
      e.add(function, e.add_input());
      Fused::Outcome outcome;
      const Input inputs[] = {array};
      REQUIRE(Fused(e).evaluate(inputs, outcome));
      std::vector<double> expected;
      for (const double x : numbers) expected.push_back(apply(function, x));
      INFO(name_of(function) << " set " << set);
      CHECK(same_bits(*outcome.array, Array::vector(expected)));
    }
  }
  fusion::use_instruction_set(best);
}

TEST_CASE("functions of two arrays have the bits of functions of two numbers") {
  std::vector<double> numbers;
  for (double x = 1e-320; x < 1e308; x *= 31.7)
    for (const double y : {x, -x}) numbers.push_back(y);
  for (const double y :
       {0.0, -0.0, double(NAN), double(INFINITY), -double(INFINITY), 1e308, 0.1, 1 / 3.0, 9007199254740993.0})
    numbers.push_back(y);
  for (int k = -40; k <= 40; ++k) numbers.push_back(k * 0.5);
  for (const double y : {100.0, -308.0, 1023.0, -1074.0, 1024.0, 1025.0, 0.7}) numbers.push_back(y);
  const auto count = static_cast<Index>(numbers.size());
  const auto down = Array::vector(numbers).with_shape({count, 1}), across = Array::vector(numbers);
  const auto best = fusion::best_instruction_set();
  for (const auto op : {Binary::power, Binary::atan2, Binary::hypot, Binary::remainder, Binary::beta}) {
    std::vector<double> expected;
    for (const double x : numbers)
      for (const double y : numbers) expected.push_back(apply(op, x, y));
    const auto all = Array::vector(expected).with_shape({count, count});
    Expression e;
    const int a = e.add_input();
    e.add(op, a, e.add_input());
    for (int set = 0; set <= static_cast<int>(best); ++set) {
      INFO(symbol_of(op) << " set " << set);
      fusion::use_instruction_set(static_cast<InstructionSet>(set));
      // Rows and columns, where one of both is the same for a block, and elements side by side.
      const Input stretched[] = {down, across};
      Fused::Outcome outcome;
      REQUIRE(Fused(e).evaluate(stretched, outcome));
      CHECK(same_bits(*outcome.array, all));
      const Input turned[] = {across, down};
      const auto left = across.view(0, {count, count}, Strides{1, 0}).copied(),
                 right = across.view(0, {count, count}, Strides{0, 1}).copied();
      const Input whole[] = {left, right};
      REQUIRE(Fused(e).evaluate(whole, outcome));
      CHECK(same_bits(*outcome.array, all));
      REQUIRE(Fused(e).evaluate(turned, outcome));
      CHECK(same_bits(outcome.array->transposed().copied(), all));
    }
  }
  fusion::use_instruction_set(best);
}

TEST_CASE("powers that can be written down are exact, and remainders") {
  using mathematics::power;
  Index wrong = 0;
  for (int n = 1; n <= 52; ++n)
    for (std::uint64_t x = 2; x < 3000; ++x) {
      std::uint64_t product = 1;
      for (int k = 0; k < n && product <= (std::uint64_t{1} << 53); ++k) product *= x;
      if (product > (std::uint64_t{1} << 53)) break;
      const auto base = static_cast<double>(x), exact = static_cast<double>(product);
      wrong += power(base, n) != exact || power(-base, n) != (n % 2 ? -exact : exact);
      wrong += power(base, -n) != 1 / exact;
      if (n > 1) wrong += power(exact, 0.5) != std::sqrt(exact);
    }
  for (int n = -1074; n < 1024; ++n) wrong += power(2, n) != std::ldexp(1, n);
  for (int n = -300; n <= 300; ++n)
    wrong += power(10, n) != std::strtod(("1e" + std::to_string(n)).c_str(), nullptr);
  CHECK(wrong == 0);
  for (double n = 1, product = 1; n <= 23; product *= n++) CHECK(mathematics::gamma(n) == product);
  for (double n = 1; n < 1000; ++n) CHECK(mathematics::cbrt(n * n * n) == n);
  // x % y and x differ by an integer of y.
  std::mt19937_64 random(8);
  std::uniform_real_distribution<double> spread(-30, 30);
  for (int k = 0; k < 20000; ++k) {
    const double x = std::ldexp(spread(random), static_cast<int>(spread(random))), y = spread(random);
    const auto rest =
        apply(Binary::remainder, Array::vector({x, x, x, x, x, x, x, x}), Array::filled<double>({}, y));
    const double r = rest.data<double>()[3], exact = std::fmod(x, y);
    if (r != (exact != 0 && (exact < 0) != (y < 0) ? exact + y : exact)) ++wrong;
  }
  CHECK(wrong == 0);
}

TEST_CASE("functions are within one unit in the last place") {
  // Against the C library's longer numbers.
  const auto worst = [](double (*f)(double), long double (*exact)(long double), double low, double high) {
    double most = 0;
    std::mt19937 engine(3);
    std::uniform_real_distribution<double> between(low, high);
    for (int k = 0; k < 20000; ++k) {
      const double x = between(engine);
      const long double y = exact(x);
      const double near = std::fabs(static_cast<double>(y));
      const auto region =
          static_cast<long double>(std::nextafter(near, INFINITY)) - static_cast<long double>(near);
      most = std::max(most, static_cast<double>(std::fabs(f(x) - y) / region));
    }
    return most;
  };
  CHECK(worst(mathematics::exp, std::exp, -700, 700) < 1);
  CHECK(worst(mathematics::log, std::log, 0, 1e5) < 1);
  CHECK(worst(mathematics::sin, std::sin, -1e9, 1e9) < 1);
  CHECK(worst(mathematics::cos, std::cos, -30, 30) < 1);
  CHECK(worst(mathematics::tan, std::tan, -30, 30) < 1);
  CHECK(worst(mathematics::sinh, std::sinh, -710, 710) < 1);
  CHECK(worst(mathematics::asinh, std::asinh, -1e200, 1e200) < 1);
  CHECK(worst(mathematics::atanh, std::atanh, -1, 1) < 1);
  CHECK(worst(mathematics::cbrt, std::cbrt, -1e9, 1e9) < 1);
  CHECK(worst(mathematics::erf, std::erf, -3, 3) < 1);
  CHECK(worst(mathematics::erfc, std::erfc, -3, 25) < 1);
  CHECK(worst(mathematics::gamma, std::tgamma, 0.01, 170) < 1);
  CHECK(worst(mathematics::log_gamma, std::lgamma, 3, 1e6) < 1);
  for (const double y : {0.3, -0.5, 2.5, 1 / 3.0, 3.0, 7.0, -4.0, 19.0}) {
    static double exponent;
    exponent = y;
    CHECK(worst([](double x) { return mathematics::power(x, exponent); },
                [](long double x) { return std::pow(x, static_cast<long double>(exponent)); }, 0.01,
                50) < 0.7);
  }
  CHECK(std::isfinite(mathematics::cosh(710)));
  CHECK(mathematics::log10(1000) == 3);
}

TEST_CASE("the result goes into part of an array") {
  Random random(11);
  for (unsigned seed = 1; seed <= 100; ++seed) {
    const Shape shape = random.shape();
    Expression e;
    e.add(Binary::multiply, e.add(Binary::add, e.add_input(), e.add_input()), e.add_input());
    const std::vector<Array> inputs = {random.array(shape, ElementType::float64),
                                       random.array(shape, ElementType::float64), Array::single(2.5)};
    const auto expected = one_by_one(e, inputs);
    // Every second element along all axes of a larger array of zeros.
    Shape larger = expected.shape();
    if (larger.empty()) continue;
    for (int k = 0; k < larger.count(); ++k) larger[k] = larger[k] * 2 + 1;
    auto whole = Array::filled<double>(larger, 0.0);
    Strides strides = whole.strides();
    Index offset = 0;
    for (int k = 0; k < larger.count(); ++k) {
      offset += strides[k];
      strides[k] *= 2;
    }
    const auto target = whole.view(offset, expected.shape(), strides);
    Fused::Outcome outcome;
    const std::vector<Input> given(inputs.begin(), inputs.end());
    REQUIRE(Fused(e).evaluate_into(given, target, outcome));
    CHECK(same_bits(target.copied(), expected));
    double before = 0;
    for (const double x : expected.to_vector<double>()) before += x != 0;
    double after = 0;
    for (const double x : whole.to_vector<double>()) after += x != 0;
    CHECK(before == after);
  }
}

TEST_CASE("an expression that cannot be fused reports why") {
  Expression e;
  e.add(Binary::add, e.add(Binary::multiply, e.add_input(), e.add_input()), e.add_input());
  const auto whole = Array::filled<std::int64_t>({3}, std::int64_t{1} << 40);
  const auto real = Array::filled<double>({3}, 2);
  const auto longer = Array::filled<double>({4}, 2);
  Fused::Outcome outcome;
  Fused fused(e);
  const Input whole_inputs[] = {whole, whole, whole};
  CHECK(!fused.evaluate(whole_inputs, outcome));
  CHECK(fused.obstacle() == "an integer does not fit its type");
  const Input mismatched[] = {real, longer, real};
  CHECK(!fused.evaluate(mismatched, outcome));
  const Input inputs[] = {real, real, real};
  CHECK(fused.evaluate(inputs, outcome));
  CHECK(fused.obstacle().empty());
  // No elements have no largest one; that says nothing of others.
  Expression largest;
  largest.add(Unary::abs, largest.add_input());
  largest.reduction = Reduction::maximum;
  Fused reduced(largest);
  const Array none(ElementType::float64, {0});
  const Input of_none[] = {none}, of_some[] = {longer};
  CHECK(reduced.evaluate(of_some, outcome));
  CHECK(!reduced.evaluate(of_none, outcome));
  CHECK(reduced.evaluate(of_some, outcome));
  CHECK(outcome.number == 2);
}
