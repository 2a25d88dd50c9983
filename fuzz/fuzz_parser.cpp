// Any bytes are parsed, resolved and compiled or refused with errors; nothing else may happen.
#include <cstdint>

#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "language/parser.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto source =
      std::make_shared<quill::Source>("fuzz", std::string(reinterpret_cast<const char*>(data), size));
  auto tree = std::make_shared<quill::Tree>(quill::parse(source));
  for (const auto& error : tree->errors) quill::describe(error);
  quill::is_unfinished(source);
  quill::dump(*tree->root);
  if (!tree->errors.empty()) return 0;
  quill::Module module;
  quill::ModuleNames names(module, quill::builtins());
  quill::resolve(*tree, names, size % 2 == 0);
  if (!tree->errors.empty()) return 0;
  const auto program = quill::compile(tree, module, quill::builtins());
  if (tree->errors.empty()) quill::dump(*program);
  for (const auto& error : tree->errors) quill::describe(error);
  return 0;
}
