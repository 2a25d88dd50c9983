// Printing, and files in and out.
#include <fmt/format.h>

#include "base/text.h"
#include "builtins/context.h"
#include "builtins/tables.h"
#include "files/whole_files.h"
#include "value/print.h"

namespace quill {

namespace {

Value print_row(Call& call) {
  auto& c = call.context;
  c.output.tell(ValuesPrinted{{call.many().begin(), call.many().end()}, c.state.settings.digits});
  return Value::none();
}

Value show_row(Call& call) {
  auto& c = call.context;
  std::string label = "value";
  if (call.node() && call.node()->argument_count() > 0)
    label = call.runtime.place_of(call.node()).source->text(call.node()->argument(0).span);
  const auto rows = call.given(1) ? call.whole(1) : Index{6};
  if (rows < 1) call.fail_argument(1, fmt::format("is a whole number from 1, not {}", rows));
  c.output.tell(ValueDescribed{label, call.value(0), c.state.settings.digits, rows});
  return Value::none();
}

Value digits_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 1 || n > 17) call.fail_argument(0, fmt::format("is a whole number from 1 to 17, not {}", n));
  call.context.state.settings.digits = static_cast<int>(n);
  return Value::none();
}

Value fail_row(Call& call) {
  Error error(call.text(0), call.text_or(1, ""));
  error.place = call.runtime.place_of(call.node());
  throw error;
}

Value warn_row(Call& call) {
  call.warn(call.text(0), call.text_or(1, ""));
  return Value::none();
}

Value ask_row(Call& call) { return call.context.ask(call.text(0), call.given(1) ? &call.value(1) : nullptr); }

}  // namespace

std::vector<Builtin> output_rows() {
  return {
      {
          .name = "print",
          .family = "output",
          .summary = "Prints values, texts as they are and arrays laid out.",
          .parameters = {{"values", "values of any kind", "", true}},
          .returns = "nothing",
          .example = "print(\"depth {2.5:.2f} m\")",
          .output = "depth 2.50 m",
          .run = print_row,
          .as_they_are = true,
      },
      {
          .name = "show",
          .family = "output",
          .summary = "Prints a value with its name, type, shape and contents.",
          .parameters = {{"x", "a value", ""}, {"rows", "of a table, at most so many rows", "6"}},
          .returns = "nothing",
          .example = "a = [1, 2 | 3, 4]\nshow(a)\nt = (k: 1..20, square: (1..20)^2)\nshow(t, rows: 4)",
          .output = "a : float64 2×2, 1 … 4\n  1  2\n  3  4\nt : table of 20 rows: k, square\n   k  square\n"
                    "   1       1\n   2       4\n  …\n  19     361\n  20     400",
          .run = show_row,
          .as_they_are = true,
      },
      {
          .name = "ask",
          .family = "output",
          .summary = "Asks for a value at the terminal; --set name=value answers beforehand.",
          .parameters = {{"name", "what is asked for", ""},
                         {"default", "the value when nobody answers", "none"}},
          .returns = "the answer, a literal of the language of the kind of the default",
          .errors = "no answer and no default, an answer of another kind",
          .example = "sum(ask(\"sequence\", default: [2, 0, 1, 3]))",
          .output = "sum(ask(\"sequence\", default: [2, 0, 1, 3])) = 6",
          .run = ask_row,
      },
      {
          .name = "fail",
          .family = "output",
          .summary = "Ends the script with an error of its own at this place.",
          .parameters = {{"message", "a text: what is wrong", ""}, {"hint", "a text: what may help", "\"\""}},
          .returns = "nothing: it does not come back",
          .example = "fn depth_of(reading) {\n    if reading < 0 { fail(\"a reading below 0: {reading}\") }\n"
                     "    return reading * 1.5\n}\ndepth_of(2)",
          .output = "depth_of(2) = 3",
          .run = fail_row,
      },
      {
          .name = "warn",
          .family = "output",
          .summary = "Gives a warning of the script's own; the script goes on.",
          .parameters = {{"message", "a text", ""}, {"hint", "a text: what may help", "\"\""}},
          .returns = "nothing",
          .example = "gaps = 0\nif gaps > 0 { warn(\"{gaps} readings are missing\") }\ngaps",
          .output = "gaps = 0",
          .run = warn_row,
      },
      {
          .name = "digits",
          .family = "output",
          .summary = "Sets how many significant digits are printed; 5 at the start.",
          .parameters = {{"n", "from 1 to 17", ""}},
          .returns = "nothing",
          .example = "digits(3)\npi",
          .output = "pi = 3.14",
          .run = digits_row,
      },
  };
}

namespace {

Value load_row(Call& call) {
  auto& c = call.context;
  const auto name = call.text(0);
  const auto kind = extension_of(name);
  if (kind != "csv" && kind != "tsv" && kind != "txt")
    call.fail_argument(
        0, kind.empty() ? "names a file by its ending, and this name has none"
                        : fmt::format("ends in .{}, and only .csv, .tsv and .txt are read so far", kind));
  const auto path = path_below(c.script_folder, name);
  std::vector<std::pair<std::string, Value>> fields;
  for (auto& column : read_csv(read_whole(c.host, path), name))
    fields.emplace_back(column.name, Value::array(std::move(column.values)));
  return Value::record(std::move(fields));
}

Value read_text_row(Call& call) {
  auto& c = call.context;
  auto text = read_whole(c.host, path_below(c.script_folder, call.text(0)));
  if (const auto at = find_malformed(text); at != std::string::npos)
    call.fail_argument(0, fmt::format("names a file that is not UTF-8 text: see byte {}", at + 1));
  return Value::text(std::move(text));
}

Value write_text_row(Call& call) {
  auto& c = call.context;
  const auto path = c.output_path(call.text(0));
  c.write_output(path, call.text(1));
  return Value::none();
}

Value save_row(Call& call) {
  auto& c = call.context;
  if (!call.value(0).is(Kind::text) && call.value(1).is(Kind::text) && call.node() != nullptr) {
    const auto source = call.runtime.place_of(call.node()).source;
    const auto written = [&](std::size_t i) { return source->text(call.node()->argument(i).span); };
    call.fail_argument(0,
                       fmt::format("is a text, the name of the file, not {}", kind_in_words(call.value(0))),
                       fmt::format("save({}, {})", written(1), written(0)));
  }
  const auto name = call.text(0);
  const auto kind = extension_of(name);
  if (kind != "csv")
    call.fail_argument(0, kind.empty() ? "names a file by its ending, and this name has none"
                                       : fmt::format("ends in .{}, and only .csv is written so far", kind));
  const auto path = c.output_path(name);
  const auto& v = call.value(1);
  std::string text;
  std::vector<Column> columns;
  const auto add = [&](const std::string& field, const Value& value) {
    if (!value.is_array_like())
      call.fail_argument(1, fmt::format("has the column `{}`, which is {}", field, kind_in_words(value)),
                         "a table is a record of vectors of one length");
    columns.push_back({field, to_array(value)});
  };
  const bool is_record = v.is(Kind::record), is_dictionary = v.is(Kind::dictionary);
  if (is_record)
    for (const auto& [field, value] : v.object<RecordObject>().fields) add(field, value);
  if (is_dictionary)
    for (const auto& [key, value] : v.object<DictionaryObject>().entries) add(inline_text(key), value);
  if (is_record || is_dictionary) {
    if (columns.empty()) call.fail_argument(1, "is a table without columns");
    text = write_csv(columns);
  } else {
    text = write_csv(call.array(1));
  }
  c.write_output(path, text);
  return Value::none();
}

}  // namespace

std::vector<Builtin> file_rows() {
  return {
      {
          .name = "load",
          .family = "files",
          .summary = "Reads a table from a CSV or TSV file.",
          .parameters = {{"name", "the file, as seen from the script; delimiter and header are recognised",
                          ""}},
          .returns = "a record of columns: numbers (missing ones are nan), dates as seconds since 1970 (see "
                     "timestamp), or "
                     "texts; \"depth (m)\" in the header is the field depth with the unit m",
          .errors = "a file that cannot be read, lines with too few or too many fields: with line and column",
          .source = "RFC 4180, with # comments, semicolons and tabs",
          .example = "# cast = load(\"soundings.csv\")\n# mean(cast.depth)",
          .run = load_row,
      },
      {
          .name = "read_text",
          .family = "files",
          .summary = "The contents of a text file.",
          .parameters = {{"name", "the file, as seen from the script", ""}},
          .returns = "a text",
          .errors = "a file that cannot be read, or that is not UTF-8",
          .example = "# notes = read_text(\"notes.txt\")\n# split_text(notes, \"\\n\")",
          .run = read_text_row,
      },
      {
          .name = "write_text",
          .family = "files",
          .summary = "Writes a text to a file below the output folder.",
          .parameters = {{"name", "the file", ""}, {"t", "a text", ""}},
          .returns = "nothing; the path is told",
          .errors = "a place that cannot be written; the old file stays whole",
          .example = "# write_text(\"summary.txt\", \"deepest {38.2} m\")",
          .run = write_text_row,
      },
      {
          .name = "save",
          .family = "files",
          .summary = "Writes a table, or an array, to a CSV file below the output folder.",
          .parameters = {{"name", "the file", ""},
                         {"value",
                          "a record or a dictionary of vectors of one length (a key like \"depth (m)\" holds "
                          "the unit), a "
                          "vector or a matrix",
                          ""}},
          .returns = "nothing; the path is told",
          .errors = "complex numbers, columns of different lengths, a place that cannot be written; the old "
                    "file stays "
                    "whole",
          .source = "RFC 4180",
          .example = "# save(\"profile.csv\", (depth: [0, 1, 2], temperature: [18.2, 17.9, 12.4]))",
          .run = save_row,
      },
  };
}

}  // namespace quill
