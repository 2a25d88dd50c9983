#include "report/report.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "base/time_text.h"
#include "figure/describe.h"
#include "value/event_text.h"
#include "value/print.h"

namespace quill {

namespace {

using Kind = ReportPart::Kind;

// Converts events to parts of a report.
class Gathered : public Output {
 public:
  explicit Gathered(Output& told) : told_(told) {}
  std::vector<ReportPart> parts;

  void tell(const Event& event) override {
    std::visit([this](const auto& e) { take(e); }, event);
    if (std::holds_alternative<WarningGiven>(event) || std::holds_alternative<ErrorMet>(event))
      told_.tell(event);
  }

 private:
  ReportPart& add(Kind kind, std::string text) {
    parts.push_back({.kind = kind, .text = std::move(text)});
    return parts.back();
  }
  void print(const std::string& text) {
    if (!parts.empty() && parts.back().kind == Kind::output)
      parts.back().text += text;
    else
      add(Kind::output, text);
  }
  bool table(const Value& value, const std::string& name, int digits, Index rows = 0) {
    if (!is_shown_as_table(value)) return false;
    auto& part = add(Kind::table, card(name, value));
    part.value = value;
    part.digits = digits;
    part.rows = rows;
    return true;
  }
  void take(const ValueShown& e) {
    if (!table(e.value, e.label, e.digits)) print(printed_text(e, kTextWidth));
  }
  void take(const ValuesPrinted& e) { print(printed_text(e, kTextWidth)); }
  void take(const ValueDescribed& e) {
    if (!table(e.value, e.name, e.digits, e.has_rows_asked ? e.rows : 0)) print(printed_text(e, kTextWidth));
  }
  void take(const WarningGiven& e) {
    if (!e.is_repeated) add(Kind::warning, e.warning.message).hint = e.warning.hint;
  }
  void take(const HintGiven& e) { add(Kind::note, e.text); }
  void take(const ErrorMet& e) { add(Kind::error, describe(e.error, "error")); }
  void take(const BlockTimed& e) { add(Kind::note, text_of(e.timing)); }
  template <class Other>
  void take(const Other&) {}

  static std::string text_of(const Timing& timing) {
    auto seconds = timing.seconds;
    std::sort(seconds.begin(), seconds.end());
    const auto label = timing.label.empty() ? std::string("timed") : timing.label;
    const auto repeated = seconds.size() > 1 ? fmt::format(", middle of {}", seconds.size()) : std::string();
    return seconds.empty()
               ? label
               : fmt::format("{}: {}{}", label, duration_in_prose(seconds[seconds.size() / 2]), repeated);
  }

  Output& told_;
};

// Iterates over the text between statements: rest of a line, prose, comments, empty lines.
class Between {
 public:
  explicit Between(std::string_view text) : text_(text) {}
  // To the end of the line of the last statement.
  std::string rest_of_line() {
    const auto end = std::min(text_.find('\n'), text_.size());
    std::string out(text_.substr(0, end));
    text_.remove_prefix(std::min(end + 1, text_.size()));
    return out;
  }
  // Alternates between prose and other lines; false at the end.
  bool next(bool& is_prose, std::string& lines) {
    lines.clear();
    while (!text_.empty()) {
      const auto end = std::min(text_.find('\n'), text_.size());
      const auto line = text_.substr(0, end);
      const auto written = trim(line);
      const bool prose = written.starts_with("#:");
      if (!lines.empty() && prose != is_prose) break;
      is_prose = prose;
      if (prose)
        lines += std::string(
            written.substr(std::min<std::size_t>(written.starts_with("#: ") ? 3 : 2, written.size())));
      else
        lines += std::string(line);
      lines += '\n';
      text_.remove_prefix(std::min(end + 1, text_.size()));
    }
    return !lines.empty();
  }

 private:
  std::string_view text_;
};

class Maker {
 public:
  Maker(Host& host, Output& told, const SessionOptions& options)
      : gathered_(told), session_(host, gathered_, options) {}

  Report run(const std::string& name, const std::string& text) {
    out_.title = name;
    const auto script = session_.prepare(name, text);
    if (!script) {
      take_gathered();
    } else {
      out_.fine = run_statements(*script, text);
    }
    session_.tell_summary();
    if (script) out_.fine = session_.check_inputs_used() && out_.fine;
    take_gathered();
    take_title();
    return std::move(out_);
  }
  Session& session() { return session_; }

 private:
  bool run_statements(const Session::Script& script, const std::string& text) {
    std::size_t at = 0;
    for (std::size_t k = 0; k < script.statements(); ++k) {
      const auto& node = *script.tree->root->kids[k];
      between(std::string_view(text).substr(at, node.span.begin - at));
      at = node.span.end;
      line_ = script.tree->source->position(node.span.begin).line;
      if (node.kind == NodeKind::section)
        flush_code();
      else
        add_code(std::string(script.text(k)));
      if (!run_statement(script, k, node)) {
        flush_code();
        take_gathered();
        return false;
      }
    }
    between(std::string_view(text).substr(std::min(at, text.size())));
    flush_code();
    return true;
  }

  bool run_statement(const Session::Script& script, std::size_t k, const Node& node) {
    const auto before = session_.state.figures;
    const bool fine = session_.run_statement(script, k);
    if (node.kind == NodeKind::section) add({.kind = Kind::heading, .text = node.text});
    if (fine && node.kind == NodeKind::expect)
      gathered_.parts.push_back(
          {.kind = Kind::check, .text = std::string(script.tree->source->text(node.condition().span))});
    for (const auto& figure : session_.note().figures) {
      const auto& drawn = session_.state.figures.at(figure);
      ReportPart part{
          .kind = Kind::figure, .text = figure, .figure = drawn, .description = description_of(*drawn)};
      for (const auto& format : drawn->formats)
        part.files.push_back(path_below(session_.options().out_folder, figure + "." + format));
      gathered_.parts.push_back(std::move(part));
    }
    if (!gathered_.parts.empty()) {
      // A comment after the statement belongs to its line.
      pending_ = true;
    }
    return fine;
  }

  void between(std::string_view text) {
    Between rest(text);
    if (line_ > 0) code_ += rest.rest_of_line();
    if (pending_) {
      flush_code();
      take_gathered();
    }
    bool is_prose = false;
    for (std::string lines; rest.next(is_prose, lines);) {
      if (is_prose) {
        flush_code();
        add({.kind = Kind::prose, .text = lines});
      } else {
        if (!code_.empty() && !code_.ends_with('\n')) code_ += '\n';
        code_ += lines;
      }
    }
    if (!code_.empty() && text.find('\n') != std::string_view::npos && !code_.ends_with('\n')) code_ += '\n';
  }

  void add_code(const std::string& text) {
    if (trim(code_).empty()) code_line_ = line_;
    code_ += text;
  }
  void flush_code() {
    auto code = std::exchange(code_, "");
    while (!code.empty() && (code.back() == '\n' || code.back() == ' ')) code.pop_back();
    const auto first = code.find_first_not_of('\n');
    if (first == std::string::npos) return;
    add({.kind = Kind::code, .text = code.substr(first), .line = code_line_});
  }
  void take_gathered() {
    pending_ = false;
    for (auto& part : gathered_.parts) {
      part.line = line_;
      out_.parts.push_back(std::move(part));
    }
    gathered_.parts.clear();
  }
  void add(ReportPart part) {
    if (part.line == 0) part.line = line_;
    out_.parts.push_back(std::move(part));
  }

  // Takes the title from a first-level heading at the beginning of the prose.
  void take_title() {
    for (auto& part : out_.parts) {
      if (part.kind != Kind::prose) continue;
      const auto end = part.text.find('\n');
      if (part.text.starts_with("# ")) {
        out_.title = trim(std::string_view(part.text).substr(2, end - 2));
        part.text.erase(0, end == std::string::npos ? end : end + 1);
      }
      break;
    }
    std::erase_if(out_.parts,
                  [](const ReportPart& p) { return p.kind == Kind::prose && trim(p.text).empty(); });
  }

  Gathered gathered_;
  Session session_;
  Report out_;
  std::string code_;
  int line_ = 0, code_line_ = 0;
  bool pending_ = false;
};

}  // namespace

Report make_report(Host& host, Output& told, const SessionOptions& options, const std::string& name,
                   const std::string& text) {
  Maker maker(host, told, options);
  auto out = maker.run(name, text);
  auto& session = maker.session();
  if (options.keeps == Keeps::everything && session.write_record())
    out.record_path = path_below(options.out_folder, kRecordName);
  out.record = session.finished_record();
  add_location(out.record, options);
  return out;
}

}  // namespace quill
