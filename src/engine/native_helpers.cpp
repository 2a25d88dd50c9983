// Helper functions of native code.
#include <array>
#include <bit>
#include <cmath>
#include <cstring>

#include "array/scalar.h"
#include "engine/elements.h"
#include "engine/native_run.h"
#include "value/construct.h"

namespace quill {

namespace {

std::int64_t single_element(const Value& value) {
  const auto& a = value.array();
  switch (a.type()) {
    case ElementType::int32: return *a.data<std::int32_t>();
    case ElementType::uint8: return *a.data<std::uint8_t>();
    default: return *a.data<std::int64_t>();
  }
}

}  // namespace

const native::Helpers& Machine::native_helpers() {
  using Run = native::Run;
  using Number = std::int64_t;
  static native::Helpers helpers{
      .execute = [](Run* run, Number at, Number, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          self.machine->execute_one(static_cast<std::size_t>(at), self.base);
          return Number{1};
        });
      },
      .fused = [](Run* run, Number at, Number, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          auto& machine = *self.machine;
          const auto* const code = machine.frames_.back().function->code.data();
          const auto* const next = code[at].op == Op::fused ? machine.pass_fused(code + at, self.base)
                                                            : machine.pass_fused_set(code + at, self.base);
          return next == code + code[at].c ? Number{1} : Number{2};
        });
      },
      .advance = [](Run* run, Number at, Number, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          auto& frame = self.machine->frames_.back();
          frame.pc = static_cast<std::size_t>(at);
          const auto& i = frame.function->code[frame.pc];
          return advance(self.base + i.a, self.at(i.b)) ? Number{1} : Number{2};
        });
      },
      .describe = [](Run* run, Number r, Number, Number) -> Number {
        return describe_array(*run, static_cast<NativeRun*>(run)->at(r));
      },
      .describe_value = [](Run* run, Number, Number, Number address) -> Number {
        return describe_array(*run, *std::bit_cast<const Value*>(address));
      },
      .load_value = [](Run* run, Number r, Number, Number address) -> Number {
        static_cast<NativeRun*>(run)->at(r) = *std::bit_cast<const Value*>(address);
        return 1;
      },
      .equal_texts = [](Run* run, Number a, Number b, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        const auto &x = self.at(a), &y = self.at(b);
        return x.is(Kind::text) && y.is(Kind::text) ? Number{x.text() == y.text()} : Number{2};
      },
      .own = [](Run* run, Number r, Number, Number) -> Number {
        auto& value = static_cast<NativeRun*>(run)->at(r);
        try {
          make_own(value);
        } catch (...) {
          return -1;  // the machine reports it
        }
        return describe_array(*run, value);
      },
      .release = [](Run* run, Number r, Number, Number) -> Number {
        static_cast<NativeRun*>(run)->at(r).reset();
        return 1;
      },
      .copy = [](Run* run, Number to, Number from, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        self.at(to) = self.at(from);
        return 1;
      },
      .take = [](Run* run, Number to, Number from, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        Value taken(std::move(self.at(from)));
        self.at(to).swap(taken);
        return 1;
      },
      .store_single = [](Run* run, Number r, Number type, Number x) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          set_single_integer(self.at(r), static_cast<ElementType>(type), x);
          return Number{1};
        });
      },
      .load_single = [](Run* run, Number r, Number, Number) -> Number {
        run->results[0] = single_element(static_cast<NativeRun*>(run)->at(r));
        return 1;
      },
      .store_record = [](Run* run, Number r, Number, Number names) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          const native::Type type{.form = native::Form::record,
                                  .parts = static_cast<std::uint64_t>(run->results[native::kMostItems]),
                                  .names = std::bit_cast<const native::Names*>(names)};
          store_saved(type, run->results, self.at(r), self.base);
          return Number{1};
        });
      },
      .store_items = [](Run* run, Number r, Number count, Number parts) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          const native::Type type{.form = parts == 0 ? native::Form::vector : native::Form::tuple,
                                  .count = static_cast<std::uint8_t>(count),
                                  .parts = static_cast<std::uint64_t>(parts)};
          store_saved(type, run->results, self.at(r), self.base);
          return Number{1};
        });
      },
      .load_items = [](Run* run, Number r, Number count, Number) -> Number {
        const auto& value = static_cast<NativeRun*>(run)->at(r);
        const auto items = native::observed_items(value);
        if (!items || items->count != count) return 0;
        std::int64_t* out = run->results;
        const auto add = [&](double x) { std::memcpy(out++, &x, sizeof x); };
        const auto add_vector = [&](const Array& a) {
          for (Index k = 0; k < a.length(); ++k) add(a.at<double>({k}));
        };
        if (value.is(Kind::array)) {
          add_vector(value.array());
          return 1;
        }
        for (const auto& item : native::items_in(value)) {
          if (item.is_number())
            add(item.number());
          else
            add_vector(item.array());
        }
        return 1;
      },
      .store_scalar = [](Run* run, Number r, Number type, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          const bool is_real = static_cast<ElementType>(type) == ElementType::float32;
          store_saved({.form = is_real ? native::Form::real32 : native::Form::complex, .count = 2},
                      run->results, self.at(r), self.base);
          return Number{1};
        });
      },
      .load_scalar = [](Run* run, Number r, Number, Number) -> Number {
        const auto& a = static_cast<NativeRun*>(run)->at(r).array();
        std::array<double, 2> x{};
        if (a.type() == ElementType::float32) {
          x[0] = *a.data<float>();
        } else {
          const auto z = *a.data<Complex>();
          x = {z.real(), z.imag()};
        }
        std::memcpy(run->results, x.data(), sizeof x);
        return 1;
      },
      .store_function = [](Run* run, Number r, Number which, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        self.at(r) = self.kept[static_cast<std::size_t>(which)];
        return 1;
      },
      .store_closure = [](Run* run, Number r, Number which, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          self.at(r) = closure_of((*self.codes)[static_cast<std::size_t>(which)], run->results);
          return Number{1};
        });
      },
      .load_closure = [](Run* run, Number r, Number which, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        const auto closure = native::observed_closure(self.at(r));
        if (!closure || closure->code != (*self.codes)[static_cast<std::size_t>(which)].get()) return 0;
        std::int64_t* out = run->results;
        for (const auto& x : self.at(r).object<FunctionObject>().captured)
          std::memcpy(out++, &x.number(), sizeof(double));
        return 1;
      },
      .store_slice = [](Run* run, Number r, Number root, Number axes) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          store_slice(self.at(r), self.at(root).array(), static_cast<int>(axes), run->results);
          return Number{1};
        });
      },
      .store_span = [](Run* run, Number r, Number, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          store_saved({.form = native::Form::span}, run->results, self.at(r), self.base);
          return Number{1};
        });
      },
      .store_all = [](Run* run, Number r, Number, Number) -> Number {
        static_cast<NativeRun*>(run)->at(r) = Value::open(Open::everything);
        return 1;
      },
      .evaluate = [](Run* run, Number to, Number count, Number parts) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          return evaluate_parts(self, to, to < 0 ? nullptr : &self.at(to), static_cast<int>(count),
                                *std::bit_cast<const native::Parts*>(parts));
        });
      },
      .draw = [](Run* run, Number row, Number, Number) -> Number {
        auto& machine = *static_cast<NativeRun*>(run)->machine;
        const double x = machine.registry_.row(static_cast<int>(row)).draw(machine.context_);
        std::memcpy(run->results, &x, sizeof x);
        return 1;
      },
      .draw_whole = [](Run* run, Number row, Number, Number) -> Number {
        auto& machine = *static_cast<NativeRun*>(run)->machine;
        std::array<double, 2> ends{};
        std::memcpy(ends.data(), run->results, sizeof ends);
        const auto drawn =
            machine.registry_.row(static_cast<int>(row)).draw_whole(machine.context_, ends[0], ends[1]);
        if (drawn) run->results[0] = *drawn;
        return drawn ? 1 : 2;
      },
      .of_numbers = [](Run* run, Number count, Number, Number address) -> Number {
        std::array<double, native::kMostItems> given{}, result{};
        std::memcpy(given.data(), run->results, static_cast<std::size_t>(count) * sizeof(double));
        const auto f = std::bit_cast<decltype(OfNumbers::run)>(address);
        try {
          if (!f(std::span(given).first(static_cast<std::size_t>(count)), result.data())) return 0;
        } catch (...) {
          return 0;  // the machine reports it
        }
        std::memcpy(run->results, result.data(), sizeof result);
        return 1;
      },
      .of_complex = [](Run* run, Number parts, Number, Number address) -> Number {
        std::array<Complex, 2> z{};
        std::memcpy(z.data(), run->results, sizeof z);
        z[0] = parts == 2     ? std::bit_cast<scalar::ComplexFunction>(address)(z[0])
               : address == 0 ? z[0] / z[1]
                              : scalar::complex_power(z[0], z[1]);
        std::memcpy(run->results, z.data(), sizeof(Complex));
        return std::isnan(z[0].real()) || std::isnan(z[0].imag()) ? 0 : 1;
      },
      .tick = nullptr,
  };
  helpers.tick = nullptr;
  if (native_checks_left() >= 0)
    helpers.tick = [](Run*, Number, Number, Number) -> Number { return --native_checks_left() != 0; };
  return helpers;
}

}  // namespace quill
