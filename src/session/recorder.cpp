#include "session/recorder.h"

#include <fmt/format.h>

#include <cmath>
#include <utility>

#include "base/time_text.h"
#include "session/value_digest.h"
#include "value/event_text.h"

namespace quill {

class Recorder::Stopwatch {
 public:
  explicit Stopwatch(Recorder& recorder) : recorder_(recorder), began_(recorder.host_.seconds()) {}
  ~Stopwatch() { recorder_.spent_ += recorder_.host_.seconds() - began_; }
  Stopwatch(const Stopwatch&) = delete;
  Stopwatch& operator=(const Stopwatch&) = delete;

 private:
  Recorder& recorder_;
  double began_;
};

Recorder::Recorder(Output& told, Host& host, std::function<Location()> running, Keeps keeps)
    : told_(told), host_(host), running_(std::move(running)), keeps_(keeps) {
  record_.outcome = "finished";
  began_ = host.seconds();
  record_.environment.began = time_text(std::floor(host.time_of_day()));
}
Recorder::~Recorder() = default;

LineOf Recorder::line_of(const Location& location) const {
  if (!location.source) return {};
  return {location.source->name() == script_name_ ? std::string() : location.source->name(),
          location.source->position(location.span.begin).line};
}

void Recorder::show(const char* how, const std::string& source, const Value& value, const std::string& text) {
  ShownNote note;
  note.at = line_of(running_());
  note.how = how;
  note.source = source;
  note.type = value.is_array_like() ? std::string(name_of(element_type_of(value))) : type_name(value);
  if (value.is_array_like())
    for (const auto extent : shape_of(value)) note.shape.push_back(extent);
  note.digest = digest_of(value);
  auto numbers = numbers_of(value);
  note.numbers = std::move(numbers.values);
  note.is_sample = numbers.is_sample;
  note.text = text;
  printed_.add(text);
  record_.shown.push_back(std::move(note));
}

std::string Recorder::provenance(const std::string& file) const {
  return keeps_ == Keeps::nothing ? std::string() : provenance_of(record_, file, line_of(running_()));
}

void Recorder::add_origins_since(const Origins& before, StepNote& to) const {
  const auto behind = [](const auto& all, std::size_t from) {
    return std::vector(all.begin() + static_cast<std::ptrdiff_t>(from), all.end());
  };
  to.used = behind(record_.used, before.used);
  to.inputs_read = behind(record_.read, before.read);
  to.inputs = behind(record_.inputs, before.inputs);
}

void Recorder::add_origins(const StepNote& note) {
  record_.used.insert(record_.used.end(), note.used.begin(), note.used.end());
  record_.read.insert(record_.read.end(), note.inputs_read.begin(), note.inputs_read.end());
  record_.inputs.insert(record_.inputs.end(), note.inputs.begin(), note.inputs.end());
}

void Recorder::forget_origins() {
  record_.used.clear();
  record_.read.clear();
  record_.inputs.clear();
}

void Recorder::tell(const Event& event) {
  values_told_ += std::holds_alternative<ValueShown>(event) || std::holds_alternative<ValuesPrinted>(event) ||
                  std::holds_alternative<ValueDescribed>(event);
  if (keeps_ != Keeps::everything) return told_.tell(event);
  std::visit(
      [this, &event]<class E>(const E& e) {
        if constexpr (requires { printed_text(e, kTextWidth); }) {
          // Rendered once, for the record and for display.
          auto with_text = e;
          with_text.text = printed_text(e, kTextWidth);
          {
            const Stopwatch watch(*this);
            note(with_text);
          }
          told_.tell(Event(std::move(with_text)));
        } else {
          {
            const Stopwatch watch(*this);
            note(e);
          }
          told_.tell(event);
        }
      },
      event);
}

void Recorder::note(const ValueShown& e) { show("value", e.label, e.value, e.text); }

void Recorder::note(const ValuesPrinted& e) {
  show("print", "", e.values.size() == 1 ? e.values[0] : Value::tuple(e.values), e.text);
}

void Recorder::note(const ValueDescribed& e) { show("show", e.name, e.value, e.text); }

void Recorder::note(const SectionBegun& e) {
  record_.sections.push_back({e.title, line_of(running_()), host_.seconds() - began_ - spent_});
}

void Recorder::note(const WarningGiven& e) {
  const auto at = line_of(e.warning.location);
  // Repetitions may contain other numbers; they count with the first at their location.
  const auto location = fmt::format("{}:{}", at.file, at.line);
  if (!e.is_repeated || !warnings_.contains(location)) {
    warnings_[location] = record_.warnings.size();
    record_.warnings.push_back({at, e.warning.message, 0});
  }
  ++record_.warnings[warnings_[location]].count;
}

void Recorder::note(const ErrorMet& e) {
  record_.outcome = e.error.kind == Error::Kind::interrupted ? "interrupted" : "failed";
  record_.error = e.error.message;
  record_.error_at = line_of(e.error.location);
}

void Recorder::set_script(const std::string& name, std::string_view text) {
  if (keeps_ == Keeps::nothing) return;
  const Stopwatch watch(*this);
  script_name_ = name;
  record_.script = {name, text.size(), sha256_of(text), {}};
}

void Recorder::used(const std::string& name, std::string_view text) {
  if (keeps_ == Keeps::nothing) return;
  const Stopwatch watch(*this);
  record_.used.push_back({name, text.size(), sha256_of(text), line_of(running_())});
}

void Recorder::read(const std::string& name, std::string_view bytes) {
  if (keeps_ == Keeps::nothing) return;
  const Stopwatch watch(*this);
  read(name, bytes.size(), sha256_of(bytes));
}

void Recorder::read(const std::string& name, std::uint64_t size, const std::string& sha256) {
  if (keeps_ == Keeps::nothing) return;
  FileNote note{name, size, sha256, line_of(running_())};
  for (const auto& known : record_.read)
    if (known.name == name && known.sha256 == note.sha256 && known.at == note.at) return;
  record_.read.push_back(std::move(note));
}

void Recorder::wrote(const std::string& name, std::string_view bytes) { wrote(note_of(name, bytes)); }

FileNote Recorder::note_of(const std::string& name, std::string_view bytes) {
  if (keeps_ != Keeps::everything) return {};
  const Stopwatch watch(*this);
  return {name, bytes.size(), sha256_of(bytes), line_of(running_())};
}

void Recorder::wrote(FileNote note) {
  if (keeps_ != Keeps::everything) return;
  // A file written again replaces its earlier note.
  for (auto& known : record_.written)
    if (known.name == note.name) {
      known = std::move(note);
      return;
    }
  record_.written.push_back(std::move(note));
}

void Recorder::input(const InputNote& note) {
  if (keeps_ == Keeps::nothing) return;
  for (auto& known : record_.inputs)
    if (known.name == note.name) {
      known = note;
      return;
    }
  record_.inputs.push_back(note);
}

void Recorder::checked(const Location& location, std::string_view text, bool passed) {
  if (keeps_ != Keeps::everything) return;
  const auto [found, is_new] =
      checks_.try_emplace({location.source.get(), location.span.begin}, record_.checks.size());
  if (is_new) record_.checks.push_back({line_of(location), std::string(text), 0, false});
  auto& check = record_.checks[found->second];
  check.passed += passed;
  check.failed = check.failed || !passed;
}

void Recorder::read_in_parts(const std::string& name, const OpenFile& file,
                             std::function<std::string()> digest) {
  if (keeps_ == Keeps::nothing) return;
  record_.read.push_back({name, file.size(), "", line_of(running_()), file.stamp(), std::move(digest)});
}

const Record& Recorder::finished() {
  for (auto& file : record_.read)
    if (file.digest_so_far) file.sha256 = std::exchange(file.digest_so_far, {})();
  record_.printed_sha256 = printed_.digest();
  record_.environment.seconds = host_.seconds() - began_;
  // Converts start times to durations.
  double end = record_.environment.seconds - spent_;
  for (auto section = record_.sections.rbegin(); section != record_.sections.rend(); ++section)
    section->seconds = std::exchange(end, section->seconds) - section->seconds;
  return record_;
}

}  // namespace quill
