#include "sweep/runner.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <set>

#include "base/memory.h"
#include "base/text.h"
#include "files/csv.h"
#include "files/digest.h"
#include "files/formats.h"
#include "session/job.h"

namespace quill {

namespace fs = std::filesystem;

namespace sweep_runner {

namespace {

constexpr const char* kValues = "values.h5";

// Column names that collected values must not use.
constexpr std::array<std::string_view, 5> kOwnColumns = {"case", "seed", "repeat", "status", "message"};

std::string column_of(const std::string& name) {
  return std::find(kOwnColumns.begin(), kOwnColumns.end(), name) == kOwnColumns.end() ? name : name + "_";
}

// Table fields of a value: itself, and its error if it has one. Nothing for other values.
void add_fields(const std::string& name, const Value& value, std::vector<Collected>& to) {
  const auto plain = numeric_value(value);
  const bool is_single = plain.is(Kind::number) || plain.is(Kind::boolean) || plain.is(Kind::text) ||
                         (plain.is(Kind::array) && plain.array().axes() == 0);
  if (!is_single) return;
  const auto array = to_array(plain);
  if (array.type() == ElementType::complex128) {
    add_fields(name + "_re", Value(array.data<Complex>()->real()), to);
    add_fields(name + "_im", Value(array.data<Complex>()->imag()), to);
    return;
  }
  if (array.type() == ElementType::any) return;
  auto field = csv_field({name, array.compact()});
  to.push_back({column_of(name), std::move(field.unit), std::move(field.text)});
  if (!value.is(Kind::library)) return;
  if (const auto error = value.object<LibraryObject>().part("error")) add_fields(name + "_error", *error, to);
}

// Whether the value belongs into the file of arrays instead of the table.
bool is_larger(const Value& value) { return value.is_array_like() && !shape_of(value).empty(); }

std::string location_of(const LineOf& at) {
  if (at.line == 0) return "";
  return at.file.empty() ? fmt::format("line {}: ", at.line) : fmt::format("{}, line {}: ", at.file, at.line);
}

std::string message_of(const Record& record, const JobResult& ran) {
  if (ran.error) return location_of(record.error_at) + ran.error->message;
  if (record.warnings.empty()) return "";
  const auto& first = record.warnings[0];
  const auto more = record.warnings.size() - 1;
  return fmt::format("warning: {}{}{}", location_of(first.at), first.message,
                     more == 0 ? "" : fmt::format(" (and {} more)", more));
}

}  // namespace

}  // namespace sweep_runner

CaseRunner::CaseRunner(Setup setup, std::function<std::unique_ptr<Host>()> new_host)
    : setup_(std::move(setup)),
      reused_(setup_.native ? default_native_use() : NativeUse::off),
      new_host_(std::move(new_host)) {
  char name[256] = "";
  if (::gethostname(name, sizeof name - 1) == 0) host_name_ = name;
  // As deep as the folders of cases, so that relative paths remain valid after the move.
  scratch_ =
      (fs::path(setup_.folder) / "cases" / ".work" / fmt::format("{}-{}", host_name_, ::getpid())).string();
}

void CaseRunner::collect(const Session& session, const Record& record, CaseResult& result) {
  using namespace sweep_runner;
  if (setup_.collect.empty()) {
    std::set<std::string> others = {kThat};
    for (const auto& input : record.inputs) others.insert(input.name);
    for (const auto& name : session.names())
      if (const auto* value = session.find(name); value && !others.contains(name))
        add_fields(name, plain_value(*value), result.values);
    return;
  }
  for (const auto& name : setup_.collect) {
    const auto* value = session.find(name);
    const auto before = result.values.size();
    if (value) add_fields(name, plain_value(*value), result.values);
    if (result.values.size() > before || (value && is_larger(*value)) || result.status != CaseStatus::ok)
      continue;
    result.status = CaseStatus::failed;
    result.message = value ? fmt::format("cannot collect {}: it is {}", name, kind_in_words(*value))
                           : fmt::format("the script has no value {} to collect", name);
  }
}

void CaseRunner::save_arrays(const Session& session, const std::vector<FileNote>& written, Host& host,
                             CaseResult& result) {
  Data arrays;
  arrays.kind = Data::Kind::record;
  for (const auto& name : setup_.collect)
    if (const auto* value = session.find(name); value && sweep_runner::is_larger(plain_value(*value)))
      arrays.add(name, Data::of(to_array(plain_value(*value))));
  if (arrays.items.empty()) return;
  if (std::any_of(written.begin(), written.end(),
                  [](const auto& file) { return file.name == sweep_runner::kValues; }))
    fail(fmt::format("{} is the name of the file of collected arrays", sweep_runner::kValues),
         "choose another name");
  const auto bytes = write_hdf5(arrays, {});
  const auto saved = host.write_below({scratch_}, scratch_ + "/" + sweep_runner::kValues, bytes);
  if (!saved.ok()) fail_hindered(fmt::format("cannot write {}: {}", sweep_runner::kValues, saved.reason));
  result.files.emplace_back(sweep_runner::kValues, sha256_of(bytes));
}

void CaseRunner::move_outputs(Host& host, Record& record, const Case& one, CaseResult& result) {
  const auto folder = fs::path(setup_.folder) / folder_of_case(one.number);
  std::error_code error;
  if (record.written.empty() && result.files.empty() && !setup_.keeps) {
    fs::remove_all(folder, error);  // from an earlier study
    return;
  }
  add_location(record, options_of(setup_, one, folder.string()));
  const auto written = host.write_below({scratch_}, scratch_ + "/" + kRecordName, text_of(record));
  if (!written.ok()) fail_hindered(fmt::format("cannot write {}: {}", kRecordName, written.reason));
  fs::remove_all(folder, error);
  fs::create_directories(folder.parent_path(), error);
  fs::rename(scratch_, folder, error);
  if (error)
    fail_hindered(
        fmt::format("cannot move the files of the case to {}: {}", folder.string(), error.message()));
  for (const auto& file : record.written) result.files.emplace_back(file.name, file.sha256);
}

CaseResult CaseRunner::run(const Case& one) {
  CaseResult result;
  result.number = one.number;
  result.host = host_name_;
  std::error_code ignored;
  fs::remove_all(scratch_, ignored);
  const auto host = new_host_();
  const double began = host->seconds();
  const auto fail_with = [&](const std::string& message) {
    result.status = CaseStatus::failed;
    result.message = message;
  };
  try {
    auto options = options_of(setup_, one, scratch_);
    options.reused = &reused_;
    auto ran = run_job(*host, {fs::path(setup_.script).filename().string(), setup_.script_text, options},
                       [&](const Session& session, const JobResult& so_far) {
                         if (!so_far.error) collect(session, so_far.record, result);
                         if (!so_far.error) save_arrays(session, so_far.record.written, *host, result);
                       });
    auto& record = ran.record;
    if (ran.error) result.status = CaseStatus::failed;
    if (result.message.empty()) result.message = sweep_runner::message_of(record, ran);
    for (const auto& file : record.used) result.sources.emplace_back(file.name, file.sha256);
    for (const auto& file : record.read)
      result.sources.emplace_back(file.name, file.stamp.empty() ? file.sha256 : kInParts + file.stamp);
    result.digest = digest_of_run(record);
    move_outputs(*host, record, one, result);
  } catch (const Error& error) { fail_with(error.message); } catch (const std::bad_alloc&) {
    fail_with(memory_error().message);
  }
  fs::remove_all(scratch_, ignored);
  result.seconds = host->seconds() - began;
  return result;
}

}  // namespace quill
