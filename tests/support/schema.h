// Comparing files with the schemas that the documents have for them.
#pragma once

#include <string>

namespace quill::test {

// What of a JSON text does not agree with docs/NAME, a line each; "" for nothing.
std::string faults_by_schema(const std::string& json, const std::string& name);

}  // namespace quill::test
