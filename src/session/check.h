// Static check of a script: findings without running it.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "base/host.h"

namespace quill {

struct Finding {
  bool is_error = true;  // else a warning
  Error error;           // with its location
};

struct Checked {
  SourcePtr source;
  std::vector<Finding> findings;  // in the order of the text
  struct Parameter {
    std::string name, fallback, description;
    Span span;
  };
  std::vector<Parameter> parameters;  // inputs, which --set can set
  struct Section {
    std::string title;
    Span span;
  };
  std::vector<Section> sections;
  bool has_errors() const;
};

// Finds syntax errors, unknown names, arguments that fit neither built-ins nor functions of the script,
// unused names and parameters, unreachable code and expectations, names that a used file does not define, and
// the findings of check_values. `path` is the script's path, from which the paths of used files are resolved.
Checked check_script(Host& host, const std::string& path, const std::string& text);

// Findings as text for people, and as JSON for editors: lines and columns (from 1, in characters) and bytes
// (from 0).
std::string text_of(const Checked& checked);
std::string json_of(const std::vector<std::pair<std::string, Checked>>& files);

}  // namespace quill
