#include "support/schema.h"

#include <nlohmann/json.hpp>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validator.hpp>

#include "support/paths.h"
#include "support/program.h"

namespace quill::test {

std::string faults_by_schema(const std::string& json, const std::string& name) {
  using Json = nlohmann::json;
  valijson::Schema schema;
  const auto text = Json::parse(read_text(std::string(kSourceDir) + "/docs/" + name));
  valijson::SchemaParser parser;
  parser.populateSchema(valijson::adapters::NlohmannJsonAdapter(text), schema);
  const auto j = Json::parse(json);
  valijson::ValidationResults results;
  valijson::Validator validator;
  std::string out;
  if (validator.validate(schema, valijson::adapters::NlohmannJsonAdapter(j), &results)) return out;
  valijson::ValidationResults::Error error;
  while (results.popError(error)) out += error.description + "\n";
  return out.empty() ? "invalid" : out;
}

}  // namespace quill::test
