#include "session/verify.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <filesystem>
#include <map>

#include "base/text.h"
#include "files/difference.h"
#include "files/digest.h"
#include "session/job.h"

namespace quill {

namespace fs = std::filesystem;

namespace {

std::string short_digest(const std::string& digest) {
  const auto colon = digest.find(':');
  return printable(digest.substr(colon == digest.npos ? 0 : colon + 1, 12));
}

std::string line_in_words(const LineOf& at) {
  if (at.line == 0) return "";
  return at.file.empty() ? fmt::format("line {}", at.line)
                         : fmt::format("{}, line {}", printable(at.file), at.line);
}

std::string counted(std::size_t n, std::string_view what) {
  return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s");
}

// Files read under each name, in order.
std::map<std::string, std::vector<const FileNote*>> by_name(const std::vector<FileNote>& files) {
  std::map<std::string, std::vector<const FileNote*>> out;
  for (const auto& file : files) out[file.name].push_back(&file);
  return out;
}

void compare_files(const char* role, const std::vector<FileNote>& before, const std::vector<FileNote>& now,
                   std::vector<std::string>& out) {
  const auto were = by_name(before), are = by_name(now);
  for (const auto& [name, notes] : were) {
    const auto found = are.find(name);
    if (found == are.end()) {
      out.push_back(fmt::format("{} {} is no longer read", role, printable(name)));
      continue;
    }
    const auto& again = found->second;
    for (std::size_t k = 0; k < std::max(notes.size(), again.size()); ++k) {
      const auto &a = *notes[std::min(k, notes.size() - 1)], &b = *again[std::min(k, again.size() - 1)];
      if (a.sha256 == b.sha256 && notes.size() == again.size()) continue;
      out.push_back(a.sha256 == b.sha256
                        ? fmt::format("{} {}: read {} times, now {} times", role, printable(name),
                                      notes.size(), again.size())
                        : fmt::format("{} {}{}: SHA-256 {}…, and now {}…", role, printable(name),
                                      a.at.line > 0 ? fmt::format(" ({})", line_in_words(a.at)) : "",
                                      short_digest(a.sha256), short_digest(b.sha256)));
      break;
    }
  }
  for (const auto& [name, notes] : are)
    if (!were.contains(name)) out.push_back(fmt::format("{} {} was not read before", role, printable(name)));
}

bool are_near(double a, double b, double allowed) {
  return a == b || (std::isnan(a) && std::isnan(b)) || std::fabs(a - b) <= allowed;
}

double largest_of(const std::vector<double>& numbers) {
  double out = 0;
  for (const double x : numbers)
    if (std::isfinite(x)) out = std::max(out, std::fabs(x));
  return out;
}

bool is_same_value(const ShownNote& a, const ShownNote& b, double tolerance) {
  if (a.how != b.how || a.type != b.type || a.shape != b.shape) return false;
  const bool same_numbers =
      std::equal(a.numbers.begin(), a.numbers.end(), b.numbers.begin(), b.numbers.end(),
                 [](double x, double y) { return are_near(x, y, 0) && std::signbit(x) == std::signbit(y); });
  if (a.digest == b.digest && a.text == b.text && same_numbers) return true;
  if (tolerance <= 0 || !are_close(a.text, b.text, tolerance) || a.numbers.size() != b.numbers.size())
    return false;
  const double allowed = tolerance * largest_of(a.numbers);
  for (std::size_t k = 0; k < a.numbers.size(); ++k)
    if (!are_near(a.numbers[k], b.numbers[k], allowed)) return false;
  return true;
}

// Number of float64 values between two numbers; nothing if there are too many to report.
std::optional<std::int64_t> steps_between(double a, double b) {
  if (!std::isfinite(a) || !std::isfinite(b) || std::signbit(a) != std::signbit(b)) return std::nullopt;
  const auto steps = std::abs(std::bit_cast<std::int64_t>(a) - std::bit_cast<std::int64_t>(b));
  return steps > 1000000 ? std::nullopt : std::optional(steps);
}

std::vector<std::string_view> lines_of(std::string_view text) {
  std::vector<std::string_view> out;
  while (!text.empty()) {
    out.push_back(text.substr(0, text.find('\n')));
    text.remove_prefix(std::min(out.back().size() + 1, text.size()));
  }
  return out;
}

// A few of the differing lines, preceded by a heading.
std::string lines_that_differ(const std::string& before, const std::string& now) {
  constexpr int most = 4;
  const auto a = lines_of(before), b = lines_of(now);
  std::string out;
  int told = 0;
  for (std::size_t k = 0; k < std::max(a.size(), b.size()); ++k) {
    const auto x = k < a.size() ? a[k] : "", y = k < b.size() ? b[k] : "";
    if (x == y) continue;
    if (told++ == most) return out + "    …\n";
    out += fmt::format("    recorded  {}\n    now       {}\n", printable(x), printable(y));
  }
  return out;
}

std::string largest_difference(const ShownNote& a, const ShownNote& b) {
  if (a.numbers.size() != b.numbers.size() || a.numbers.empty()) return "";
  std::size_t at = 0;
  double largest = -1;
  for (std::size_t k = 0; k < a.numbers.size(); ++k) {
    const double x = a.numbers[k], y = b.numbers[k];
    if (are_near(x, y, 0)) continue;
    const double d = std::isfinite(x - y) ? std::fabs(x - y) : INFINITY;
    if (d > largest) {
      largest = d;
      at = k;
    }
  }
  if (largest < 0) return "";
  const double x = a.numbers[at], y = b.numbers[at];
  const auto steps = steps_between(x, y);
  return fmt::format(
      "    largest difference {:.3g}: {}, and now {}{}{}\n", largest, shortest(x), shortest(y),
      steps ? fmt::format(", {} in the last place", counted(static_cast<std::size_t>(*steps), "unit")) : "",
      a.is_sample ? fmt::format(" (among {} of its numbers)", a.numbers.size()) : "");
}

class RunComparison {
 public:
  RunComparison(Host& host, const Record& before, const Record& now, double tolerance)
      : host_(host), before_(before), now_(now), tolerance_(tolerance) {}

  std::string values() {
    const auto count = std::min(before_.shown.size(), now_.shown.size());
    std::size_t first = count, differing = 0;
    for (std::size_t k = 0; k < count; ++k)
      if (!is_same_value(before_.shown[k], now_.shown[k], tolerance_) && differing++ == 0) first = k;
    std::string out;
    if (first < count) {
      const auto &a = before_.shown[first], &b = now_.shown[first];
      out +=
          fmt::format("  the first value that differs{}{}\n", a.at.line > 0 ? ": " + line_in_words(a.at) : "",
                      a.source.empty() ? "" : fmt::format(", `{}`", shortened(printable(a.source), 50)));
      out += a.text == b.text ? "    printed identically, but differs in digits that are not printed\n"
                              : lines_that_differ(a.text, b.text);
      out += largest_difference(a, b);
      if (differing > 1)
        out += fmt::format("  {} of the {} values after it differ too\n", differing - 1, count - first - 1);
    }
    if (before_.shown.size() != now_.shown.size())
      out += fmt::format("  {} were recorded, now {}\n", counted(before_.shown.size(), "value"),
                         now_.shown.size());
    return out;
  }

  std::string checks() {
    std::string out;
    for (const auto& check : before_.checks)
      for (const auto& again : now_.checks)
        if (check.at == again.at && check.source == again.source && check.failed != again.failed)
          out += fmt::format("  the check in {} {}: {}\n", line_in_words(check.at),
                             again.failed ? "now fails" : "failed before", printable(check.source));
    const auto same_check = [](const CheckNote& a, const CheckNote& b) {
      return a.at == b.at && a.source == b.source && a.passed == b.passed;
    };
    if (out.empty() && !std::equal(before_.checks.begin(), before_.checks.end(), now_.checks.begin(),
                                   now_.checks.end(), same_check))
      out += "  the checks differ\n";
    if (before_.outcome != now_.outcome || before_.error != now_.error)
      out += fmt::format("  the run {}, now {}\n", ended(before_), ended(now_));
    if (before_.warnings.size() != now_.warnings.size())
      out += fmt::format("  {}, now {}\n", counted(before_.warnings.size(), "warning"), now_.warnings.size());
    else
      out += first_other_warning();
    const auto same_section = [](const SectionNote& a, const SectionNote& b) { return a.title == b.title; };
    if (!std::equal(before_.sections.begin(), before_.sections.end(), now_.sections.begin(),
                    now_.sections.end(), same_section))
      out += "  the titles of sections differ\n";
    return out;
  }

  std::string files(const Places& places) {
    std::string out;
    for (const auto& file : before_.written) {
      const auto found = std::find_if(now_.written.begin(), now_.written.end(),
                                      [&](const FileNote& f) { return f.name == file.name; });
      if (found == now_.written.end())
        out += fmt::format("  {} was not written by the re-run\n", printable(file.name));
      else
        out += file_difference(file, *found, places);
    }
    for (const auto& file : now_.written)
      if (std::none_of(before_.written.begin(), before_.written.end(),
                       [&](const FileNote& f) { return f.name == file.name; }))
        out += fmt::format("  {} is written by the re-run only\n", printable(file.name));
    return out;
  }

 private:
  std::string file_difference(const FileNote& file, const FileNote& now, const Places& places) {
    const auto shown = printable(file.name);
    auto may_read = places.also_read;
    for (auto& folder : folders_around(places.folder)) may_read.push_back(std::move(folder));
    const auto old = host_.read_below(may_read, path_below(places.folder, file.name));
    if (old.is_outside)
      fail_hindered(fmt::format("{} is neither near the record nor below the current folder", shown),
                    "--also-read FOLDER allows to compare it");
    if (!old.ok()) return fmt::format("  {} no longer exists: {}\n", shown, old.reason);
    const bool is_touched = sha256_of(old.value) != file.sha256;
    if (!is_touched && now.sha256 == file.sha256) return {};
    const auto again =
        host_.read_below({places.scratch}, path_when_redone(places.scratch, places.folder, file.name));
    if (!again.ok()) fail_hindered(fmt::format("cannot read {}: {}", shown, again.reason));
    const auto difference = difference_of(file.name, old.value, again.value, tolerance_);
    const auto where = printable(difference.where);
    if (is_touched)
      return fmt::format("  {} was changed after the run{}\n", shown,
                         difference.is_same ? ", but its content is the same" : ": " + where);
    if (difference.is_same) return {};
    return fmt::format("  {}{} differs: {}\n", shown,
                       file.at.line > 0 ? fmt::format(" ({})", line_in_words(file.at)) : "", where);
  }
  std::string first_other_warning() const {
    for (std::size_t k = 0; k < before_.warnings.size(); ++k) {
      const auto &a = before_.warnings[k], &b = now_.warnings[k];
      if (a.at == b.at && a.count == b.count && are_close(a.message, b.message, tolerance_)) continue;
      return fmt::format("  a warning differs{}\n    recorded  {} ({} times)\n    now       {} ({} times)\n",
                         a.at.line > 0 ? ": " + line_in_words(a.at) : "", printable(a.message), a.count,
                         printable(b.message), b.count);
    }
    return {};
  }
  static std::string ended(const Record& record) {
    if (record.outcome == "finished") return "finished";
    return fmt::format("{}{}: {}", printable(record.outcome),
                       record.error_at.line > 0 ? " in " + line_in_words(record.error_at) : "",
                       printable(record.error));
  }
  Host& host_;
  const Record& before_;
  const Record& now_;
  double tolerance_;
};

}  // namespace

Folders folders_around(const std::string& record_folder) {
  const auto own = fs::path(normal_path(record_folder.empty() ? "." : record_folder));
  const auto above = (own.has_filename() ? own : own.parent_path()).parent_path();
  return {own.string(), above.string(), normal_path(".")};
}

std::string script_of(Host& host, const Record& record, const std::string& record_folder) {
  const auto& c = record.environment;
  if (c.script == "-")
    fail("the script of this record came from standard input and was not saved",
         "give its path with --script PATH");
  const auto near = path_below(record_folder, c.script_from_record);
  const auto there = path_below(c.folder, c.script);
  for (const auto& path : {near, there}) {
    if (c.script.empty()) continue;
    const auto read = host.read_below(folders_around(record_folder), path);
    if (read.is_outside || (read.ok() && fs::path(path).extension() != ".eq"))
      fail(fmt::format("according to the record, its script is {}; it is not opened without your consent",
                       printable(path)),
           "if this is the script, give its path with --script PATH");
    if (read.ok()) return fs::path(path).lexically_normal().string();
  }
  fail(fmt::format("the script {} does not exist, neither as {} nor as {}", printable(record.script.name),
                   printable(near), printable(there)),
       "give its path with --script PATH");
}

namespace {

// Adds the folders of a record that are permitted to it.
void add_allowed(const Record& record, const std::string& record_folder, const std::string& script,
                 Folders& to) {
  auto allowed = folders_around(record_folder);
  allowed.push_back(normal_path(fs::path(script).parent_path().string()));
  auto named = record.environment.also_read;
  named.emplace_back(".");
  for (const auto& folder : named) {
    const auto path = normal_path(path_below(record.environment.folder, folder));
    if (std::any_of(allowed.begin(), allowed.end(), [&](const auto& root) { return is_below(root, path); }))
      to.push_back(path);
  }
}

}  // namespace

Rerun run_again(Host& host, const Record& record, const std::string& script, const std::string& stands_for,
                const RerunOptions& options) {
  const auto text = host.read_file(script);
  if (!text.ok()) fail(fmt::format("cannot read {}: {}", printable(script), text.reason));
  SessionOptions again;
  again.out_folder = options.scratch;
  again.stands_for = stands_for;
  again.script_folder = fs::path(script).parent_path().string();
  again.also_read = options.also_read;
  add_allowed(record, stands_for, script, again.also_read);
  // Redirected to the scratch folder, whatever their names.
  again.also_write = record.environment.also_write;
  for (const auto& input : record.inputs)
    if (input.from != "default") again.inputs.emplace_back(input.name, input.value);
  again.seed = record.seed;
  again.settings = record.settings;
  again.last_section = record.section;
  again.keeps = Keeps::everything;
  auto ran = run_job(host, {record.script.name, text.value, again});
  if (ran.error && ran.error->kind != Error::Kind::mistake && ran.error->message != record.error)
    throw Error(*ran.error);
  return {std::move(ran.record), std::move(ran.messages)};
}

Changes changes_between(const Record& before, const Record& now) {
  Changes out;
  if (before.script.sha256 != now.script.sha256)
    out.inputs.push_back(fmt::format("script {}: SHA-256 {}…, and now {}…", printable(before.script.name),
                                     short_digest(before.script.sha256), short_digest(now.script.sha256)));
  compare_files("used file", before.used, now.used, out.inputs);
  compare_files("input", before.read, now.read, out.inputs);
  for (const auto& input : before.inputs)
    for (const auto& again : now.inputs)
      if (input.name == again.name && input.value != again.value)
        out.inputs.push_back(fmt::format("parameter {}: {}, and now {}", printable(input.name),
                                         printable(input.value), printable(again.value)));
  const auto around = [&](std::string_view what, const std::string& a, const std::string& b) {
    if (a != b)
      out.surroundings.push_back(
          fmt::format("{}: {}, and now {}", printable(what), printable(a), printable(b)));
  };
  around("version", before.version, now.version);
  if (!before.build.empty()) {
    around("built with", before.build, now.build);
    for (const auto& [name, version] : before.libraries)
      for (const auto& [same_name, other] : now.libraries)
        if (name == same_name) around(name, version, other);
    around("processor", fmt::format("{}", fmt::join(before.processor, " ")),
           fmt::format("{}", fmt::join(now.processor, " ")));
  }
  return out;
}

Verdict compare_runs(Host& host, const Record& before, const Record& now, const std::string& name,
                     const Places& places, double tolerance) {
  RunComparison comparison(host, before, now, tolerance);
  auto differences = comparison.values() + comparison.checks() + comparison.files(places);
  if (before.is_whole == false) differences = "  the record was modified after the run\n" + differences;
  const auto changes = changes_between(before, now);
  const auto within = tolerance > 0 ? fmt::format(" within {:g}", tolerance) : "";
  const auto all =
      fmt::format("{} and {}", counted(before.shown.size(), "value"), counted(before.written.size(), "file"));
  std::string surroundings;
  for (const auto& change : changes.surroundings) surroundings += fmt::format("    {}\n", change);
  if (differences.empty() && changes.inputs.empty()) {
    Verdict out{true, fmt::format("{} re-ran with the same results{}: {}\n", name, within, all)};
    if (!surroundings.empty()) out.text += "  other things have changed since\n" + surroundings;
    return out;
  }
  Verdict out{false, fmt::format("{} re-ran with different results{}\n", name, within)};
  std::string changed;
  for (const auto& change : changes.inputs) changed += fmt::format("    {}\n", change);
  changed += surroundings;
  if (!changed.empty()) out.text += "  changed since\n" + changed;
  out.text += differences.empty() ? fmt::format("  {} are the same\n", all) : differences;
  return out;
}

}  // namespace quill
