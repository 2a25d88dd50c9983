#include "session/stages.h"

#include <filesystem>

#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "compiler/flow.h"
#include "engine/explain.h"
#include "figure/animation.h"
#include "figure/layout.h"
#include "language/effects.h"
#include "language/parser.h"
#include "render/render.h"
#include "session/session.h"

namespace quill {

namespace {

// Forwards only errors.
class ErrorsOnly : public Output {
 public:
  explicit ErrorsOnly(Output& output) : output_(output) {}
  void tell(const Event& event) override {
    if (std::holds_alternative<ErrorMet>(event)) output_.tell(event);
  }

 private:
  Output& output_;
};

// Converts the layout of figures to text instead of writing files.
class FigureTexts : public Session {
 public:
  using Session::Session;
  void write_figure(const Figure& figure) override {
    text += "figure " + figure.name + "\n" + dump(lay_out(still_of(figure), *measurer_));
  }
  void write_output(const std::string&, std::string_view) override {}
  void make_output(const std::string&, const FileMaker&) override {}
  std::string text;

 private:
  std::unique_ptr<TextMeasurer> measurer_ = make_text_measurer();
};

}  // namespace

std::vector<std::string> stage_names() {
  return {"tokens", "tree", "effects", "program", "flow", "types", "native", "figure"};
}

std::optional<std::string> text_of_stage(const std::string& stage, const std::string& path,
                                         const std::string& text, Host& host, Output& output) {
  const std::filesystem::path file(path);
  const auto source = std::make_shared<Source>(file.filename().string(), text);
  if (stage == "tokens") return dump(lex(source, {0, static_cast<std::uint32_t>(text.size())})) + "\n";
  if (stage == "figure" || stage == "types" || stage == "native") {
    if (stage != "figure" && native_maker() == nullptr) {
      output.tell(ErrorMet{Error("loops cannot be compiled: libeager-quill-native.so is not installed",
                                 "install the package eager-quill-native")});
      return std::nullopt;
    }
    SessionOptions options;
    if (stage != "figure") options.native = NativeUse::at_once;
    options.script_folder = file.parent_path().string();
    ErrorsOnly errors(output);
    FigureTexts session(host, errors, options);
    if (!session.run(source->name(), text)) return std::nullopt;
    const auto loops = session.hot().functions();
    return stage == "types" ? dump_types(loops) : stage == "native" ? dump_native(loops) : session.text;
  }
  const auto tree = std::make_shared<Tree>(parse(source));
  Module module;
  module.declare(kThat);
  ModuleNames outer(module, builtins());
  std::string out;
  if (tree->errors.empty()) {
    if (stage == "tree") out = dump(*tree->root) + "\n";
    resolve(*tree, outer, false);
  }
  std::shared_ptr<const Function> program;
  if (tree->errors.empty()) program = compile(tree, module, builtins());
  for (const auto& error : tree->errors) output.tell(ErrorMet{error});
  if (!tree->errors.empty()) return std::nullopt;
  if (stage == "tree") return out;
  if (stage == "effects") return dump_effects(*tree);
  return stage == "flow" ? dump_flow(*program) : dump(*program);
}

}  // namespace quill
