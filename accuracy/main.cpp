// Writes the page that reports how far results can be trusted.
#include <fmt/format.h>

#include <cstdio>
#include <fstream>

#include "accuracy/report.h"

namespace {

void write(std::ofstream& out, const accuracy::Table& table) {
  out << "\n## " << table.title << "\n\n" << table.text << "\n\n";
  const auto line = [&](const std::vector<std::string>& cells) {
    for (const auto& cell : cells) out << "| " << cell << " ";
    out << "|\n";
  };
  line(table.head);
  line(std::vector<std::string>(table.head.size(), "---"));
  for (const auto& row : table.rows) line(row);
}

}  // namespace

int main(int count, char** arguments) {
  if (count != 2) {
    std::fputs("usage: make_accuracy FILE\n", stderr);
    return 2;
  }
  std::ofstream out(arguments[1]);
  out << "# Accuracy\n\nMeasured by `./dev accuracy` against references of 50 digits (Boost.Multiprecision), "
         "closed forms and certified results.\n";
  for (auto* table : {accuracy::functions, accuracy::functions_of_two, accuracy::special_functions,
                      accuracy::factorisations, accuracy::certified, accuracy::orders, accuracy::tolerances,
                      accuracy::claims}) {
    const auto made = table();
    std::fprintf(stderr, "%s\n", made.title.c_str());
    write(out, made);
  }
}
