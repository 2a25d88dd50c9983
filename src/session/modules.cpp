#include "session/modules.h"

#include <fmt/format.h>

#include "base/error.h"

namespace quill {

namespace {

class UsedFile : public LibraryObject {
 public:
  explicit UsedFile(std::string name) : name_(std::move(name)) {}
  std::string type_name() const override { return "file in use"; }
  std::string describe() const override { return fmt::format("the names of {}", name_); }
  std::optional<Value> part(const std::string& name) const override {
    const auto* value = module.find(name);
    return value ? std::optional(plain_value(*value)) : std::nullopt;
  }
  std::vector<std::string> part_names() const override { return module.names; }

  Module module;

 private:
  std::string name_;
};

}  // namespace

Modules::Made Modules::make(const std::string& name) {
  auto* file = new UsedFile(name);
  kept_.emplace_back(Kind::library, file);
  return {file->module, kept_.back()};
}

Modules::Running::Running(Modules& modules, std::string path, const std::string& name)
    : modules_(modules), path_(std::move(path)) {
  if (!modules_.running_.insert(path_).second)
    fail(fmt::format("\"{}\" uses itself, directly or through another file", name));
}

}  // namespace quill
