#include "sweep/verify_study.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <random>
#include <set>

#include "base/interrupt.h"
#include "base/text.h"
#include "files/digest.h"

namespace quill {

namespace study_verification {

namespace {

constexpr std::size_t kMostTold = 5;  // differing cases

std::string inputs_in_words(const Case& one) {
  std::string out;
  for (const auto& [name, literal] : one.inputs)
    out += fmt::format("{}{} = {}", out.empty() ? "" : ", ", name, literal);
  return printable(out);
}

bool are_equal(const std::string& a, const std::string& b, double tolerance) {
  if (a == b) return true;
  const auto x = parse_number(a), y = parse_number(b);
  return x && y && std::fabs(*x - *y) <= tolerance * std::max(std::fabs(*x), std::fabs(*y));
}

std::string shown(const std::string& text) {
  return text.empty() ? "nothing" : shortened(printable(text), 60);
}

// Difference between two results of a case; "" if there is none.
std::string difference_between(const CaseResult& before, const CaseResult& now, double tolerance) {
  if (before.status != now.status)
    return fmt::format("{}, and now {}{}", name_of(before.status), name_of(now.status),
                       now.message.empty() ? "" : ": " + printable(now.message));
  if (before.message != now.message && tolerance == 0)
    return fmt::format("message: {}, and now {}", shown(before.message), shown(now.message));
  std::map<std::string, std::string> fields;
  for (const auto& value : now.values) fields[value.name] = value.field;
  for (const auto& value : before.values) {
    const auto found = fields.find(value.name);
    if (found == fields.end()) return fmt::format("{} is missing now", printable(value.name));
    if (!are_equal(value.field, found->second, tolerance))
      return fmt::format("{}: {}, and now {}", printable(value.name), shown(value.field),
                         shown(found->second));
  }
  if (before.values.size() != now.values.size()) return "other values are collected now";
  if (tolerance > 0) return "";
  std::map<std::string, std::string> files(now.files.begin(), now.files.end());
  for (const auto& [name, digest] : before.files)
    if (const auto found = files.find(name); found == files.end() || found->second != digest)
      return fmt::format("{} {}", printable(name), found == files.end() ? "is not written now" : "differs");
  if (before.files.size() != now.files.size()) return "other files are written now";
  return before.digest == now.digest ? "" : "what it prints, its warnings or its checks differ";
}

}  // namespace

}  // namespace study_verification

StudyToVerify study_to_verify(std::string_view text, const std::string& name, const CaseChoice& choice) {
  StudyToVerify out;
  out.folder = std::filesystem::path(name).parent_path().string();
  const auto is_chosen = [&](Index number) {
    return choice.cases.empty() ||
           std::any_of(choice.cases.begin(), choice.cases.end(),
                       [&](const auto& range) { return number >= range.first && number <= range.second; });
  };
  out.record = read_study_record(text, name, [&](const Case& one, const CaseResult& result) {
    if (is_chosen(one.number)) out.cases.emplace_back(one, result);
  });
  for (const auto& range : choice.cases)
    if (std::none_of(out.cases.begin(), out.cases.end(), [&](const auto& one) {
          return one.first.number >= range.first && one.first.number <= range.second;
        }))
      fail(fmt::format("the study has no finished case {}", range.first),
           fmt::format("it has {} cases", grouped(out.record.count)));
  if (choice.samples > 0 && choice.samples < static_cast<Index>(out.cases.size())) {
    std::mt19937_64 random(std::random_device{}());
    std::vector<std::pair<Case, CaseResult>> some;
    std::sample(out.cases.begin(), out.cases.end(), std::back_inserter(some), choice.samples, random);
    out.cases = std::move(some);
  }
  return out;
}

Verdict verify_study(Host& host, const StudyToVerify& study, const std::string& script_text, Crew& crew,
                     const std::string& name, double tolerance) {
  using namespace study_verification;
  namespace fs = std::filesystem;
  std::string changes, differences;
  if (sha256_of(script_text) != study.record.script.sha256)
    changes += fmt::format("    script {} has changed\n", printable(study.record.script.name));
  if (study.record.version != QUILL_VERSION)
    changes += fmt::format("    version: {}, and now {}\n", printable(study.record.version), QUILL_VERSION);
  if (!study.record.is_whole) differences += "  the record was modified after the study\n";
  const auto table = host.read_file((fs::path(study.folder) / study.record.table.name).string());
  if (!table.ok() || sha256_of(table.value) != study.record.table.sha256)
    differences += fmt::format("  {} was changed after the study\n", printable(study.record.table.name));

  std::map<Index, std::string> different;
  std::map<Index, const std::pair<Case, CaseResult>*> by_number;
  std::set<std::string> changed_files;
  const auto compare = [&](const CaseResult& now) {
    const auto& [one, before] = *by_number.at(now.number);
    const std::map<std::string, std::string> sources(now.sources.begin(), now.sources.end());
    for (const auto& [file, digest] : before.sources)
      if (const auto found = sources.find(file); found != sources.end() && found->second != digest)
        changed_files.insert(file);
    auto text = difference_between(before, now, tolerance);
    for (const auto& [file, digest] : before.files)
      if (const auto bytes =
              host.read_file((fs::path(study.folder) / folder_of_case(one.number) / file).string());
          text.empty() && (!bytes.ok() || sha256_of(bytes.value) != digest))
        text = fmt::format("{} was changed after the study", printable(file));
    if (!text.empty()) different[one.number] = std::move(text);
  };
  std::size_t given = 0, compared = 0;
  while (compared < study.cases.size()) {
    for (Index room = crew.room(static_cast<Index>(study.cases.size() - given));
         room > 0 && given < study.cases.size(); --room) {
      by_number[study.cases[given].first.number] = &study.cases[given];
      crew.give(study.cases[given++].first);
    }
    poll_interrupt();
    constexpr double patience = 0.2;
    for (const auto& result : crew.wait(patience)) {
      compare(result);
      ++compared;
    }
  }
  for (const auto& file : changed_files) changes += fmt::format("    {} has changed\n", printable(file));
  std::size_t told = 0;
  for (const auto& [number, text] : different) {
    if (told++ == kMostTold) {
      differences += fmt::format("  and {} more\n", different.size() - kMostTold);
      break;
    }
    differences += fmt::format("  case {} ({}): {}\n", number,
                               shortened(inputs_in_words(by_number.at(number)->first), 60), text);
  }
  const auto of_all = fmt::format("{} of {} cases", grouped(static_cast<Index>(study.cases.size())),
                                  grouped(study.record.count));
  const auto within = tolerance > 0 ? fmt::format(" within {:g}", tolerance) : "";
  if (!changes.empty()) changes = "  changed since\n" + changes;
  if (differences.empty())
    return {true, fmt::format("{}: {} re-ran with the same results{}\n{}", printable(name), of_all, within,
                              changes)};
  return {false, fmt::format("{}: {} re-ran, {} with different results{}\n{}{}", printable(name), of_all,
                             different.size(), within, changes, differences)};
}

}  // namespace quill
