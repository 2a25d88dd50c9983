// What can be said of a script without running it.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "base/host.h"

namespace quill {

struct Finding {
  bool is_error = true;  // else a warning
  Error error;           // with its place
};

struct Checked {
  SourcePtr source;
  std::vector<Finding> findings;  // in the order of the text
  struct Parameter {
    std::string name, fallback, description;
    Span span;
  };
  std::vector<Parameter> parameters;  // inputs, which --set can give
  struct Section {
    std::string title;
    Span span;
  };
  std::vector<Section> sections;
  bool has_errors() const;
};

// Syntax, unknown names, arguments of built-ins and of functions of the script that do not fit, names and
// parameters that nothing uses, code and expectations that are never reached, parts that a used file does not
// have, and what check_values finds. `path` is where it lies, for the files that it uses.
Checked check_script(Host& host, const std::string& path, const std::string& text);

// For people, and for editors: JSON with lines and columns (from 1, in characters) and bytes (from 0).
std::string text_of(const Checked& checked);
std::string json_of(const std::vector<std::pair<std::string, Checked>>& files);

}  // namespace quill
