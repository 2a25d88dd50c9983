#include "engine/explain.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "base/text.h"

namespace quill {

namespace {

std::string count_in_words(Index n, std::string_view one) {
  return fmt::format("{} {}{}", grouped(n), one, n == 1 ? "" : "s");
}

// Advice for the user.
std::string advice_for(const std::string& obstacle) {
  if (obstacle.starts_with("int") || obstacle.starts_with("uint"))
    return "; float64(…) makes numbers that can be fused";
  if (obstacle.starts_with("complex128")) return "; real(z) and imag(z) can be fused";
  return {};
}

// Describes an input that is a temporary array; "" for names, numbers and parts of arrays.
std::string_view made_before(const Node& node) {
  switch (node.kind) {
    case NodeKind::index:
      for (std::size_t k = 0; k < node.subscript_count(); ++k) {
        const auto& s = node.subscript(k);
        if (s.kind == NodeKind::comparison || (s.kind == NodeKind::binary && s.op != Token::matrix_times))
          return "a selection";
      }
      return {};
    case NodeKind::call:
    case NodeKind::each: return "a call";
    case NodeKind::comprehension: return "a comprehension";
    case NodeKind::conditional: return "a conditional expression";
    case NodeKind::matrix: return "a bracket";
    case NodeKind::comparison:
      return node.ops.size() > 1 ? "a chain of comparisons" : "needed for the message of a check";
    case NodeKind::binary:
      return node.op == Token::matrix_times ? "a matrix product" : "a separate expression";
    default: return {};
  }
}

// With line ends and surrounding blanks replaced by one space.
std::string one_line(std::string_view text) {
  constexpr std::size_t most = 70;
  std::string out;
  for (const char c : text) {
    const bool is_space = c == ' ' || c == '\n' || c == '\t' || c == '\r';
    if (!is_space)
      out += c;
    else if (!out.empty() && out.back() != ' ')
      out += ' ';
  }
  return shortened(out, most);
}

std::string explained(const SeenRegion& seen) {
  const auto& region = *seen.region;
  const auto& source = *seen.tree->source;
  const auto& root = *region.root;
  auto out = fmt::format("{}, line {}\n  {}\n", source.name(), source.position(root.span.begin).line,
                         one_line(source.text(root.span)));
  const bool is_inlined = region.expansion && region.expansion->obstacle.empty();
  const auto& steps = region.fused.expression();
  const int operations = (is_inlined ? region.expansion->region : region).fused.expression().operations();
  if (region.passes > 0)
    out += fmt::format("  fused: {}{} over up to {}{}\n", count_in_words(operations, "operation"),
                       steps.reduction ? " and a reduction" : "",
                       count_in_words(region.elements_passed, "element"),
                       region.passes == 1 ? "" : fmt::format(", {} times", grouped(region.passes)));
  if (region.refusals > 0)
    out += fmt::format("  not fused{}: {}{}\n",
                       region.refusals == 1 ? "" : fmt::format(", {} times", grouped(region.refusals)),
                       region.obstacle, advice_for(region.obstacle));
  for (std::size_t k = 0; k < region.nodes.size(); ++k) {
    if (k >= steps.steps.size() || steps.steps[k].kind != fusion::StepKind::input) continue;
    const auto input = static_cast<std::size_t>(steps.steps[k].from[0]);
    if (input < region.inputs.size() && region.inputs[input].chosen) continue;
    if (!region.loops.empty() ||
        std::any_of(region.calls.begin(), region.calls.end(),
                    [&](const FusedCall& call) { return call.input == steps.steps[k].from[0]; }))
      continue;  // not a temporary array
    if (const auto what = made_before(*region.nodes[k]); !what.empty())
      out +=
          fmt::format("  computed before it: {}, {}\n", one_line(source.text(region.nodes[k]->span)), what);
  }
  return out;
}

}  // namespace

std::string explained(std::span<const SeenRegion> regions) {
  std::vector<SeenRegion> met;
  for (const auto& seen : regions)
    if (seen.region->passes + seen.region->refusals > 0) met.push_back(seen);
  const auto place = [](const SeenRegion& seen) {
    return std::tuple(seen.tree->source->name(), seen.region->root->span.begin);
  };
  std::stable_sort(met.begin(), met.end(), [&](const auto& a, const auto& b) { return place(a) < place(b); });
  std::string out = met.empty() ? "" : "\nArray expressions\n";
  for (const auto& seen : met) out += explained(seen);
  return out;
}

namespace {

// Line of an instruction, with its source text.
std::string written_at(const HotFunction& hot, std::size_t at) {
  const auto* node = hot.nodes[at];
  if (node == nullptr) return {};
  const auto& source = *hot.tree->source;
  return fmt::format("line {}, {}", source.position(node->span.begin).line,
                     one_line(source.text(node->span)));
}

std::string_view why_left(native::Reason reason) {
  switch (reason) {
    case native::Reason::type: return "a value of another type than before";
    case native::Reason::whole: return "a number that is no longer whole, or too large";
    default: return "a value that needs a warning or an error";
  }
}

std::string explained(const HotFunction& hot, const NativeLoop& loop) {
  const auto& source = *hot.tree->source;
  const auto& node = loop.is_function ? *hot.definition : *hot.nodes[loop.lowered.end - 1];
  auto out =
      fmt::format("{}, line {}\n  {}\n", source.name(), source.position(node.span.begin).line,
                  loop.is_function ? hot.signature
                                   : trim(one_line(source.text({node.span.begin, node.body().span.begin}))));
  if (!loop.entry) return out + "  not machine code: it could not be made\n";
  out += fmt::format("  machine code: made in {:.0f} ms, entered {}{}\n", loop.seconds * 1e3,
                     count_in_words(loop.entered, "time"),
                     loop.is_retired ? ", then made again for other types" : "");
  // Keeps whole expressions instead of their parts.
  std::map<int, std::string> by_line;
  for (const auto at : loop.lowered.by_machine)
    if (const auto* part = hot.nodes[at]) {
      auto& longest = by_line[source.position(part->span.begin).line];
      if (auto text = written_at(hot, at); text.size() > longest.size()) longest = std::move(text);
    }
  for (const auto& [number, text] : by_line) out += fmt::format("  slower, step by step: {}\n", text);
  for (const auto& [where, count] : loop.left)
    out += fmt::format("  left {}: {}: {}\n", count_in_words(count, "time"), written_at(hot, where.first),
                       why_left(where.second));
  return out;
}

}  // namespace

std::string explained(const std::vector<const HotFunction*>& functions) {
  std::string out;
  for (const auto* hot : functions)
    for (const auto& loop : hot->loops) out += explained(*hot, *loop);
  return out.empty() ? out : "\nLoops\n" + out;
}

namespace {

template <class F>
std::string dump_loops(const std::vector<const HotFunction*>& functions, F text_of) {
  std::string out;
  for (const auto* hot : functions)
    for (const auto& loop : hot->loops)
      out += fmt::format("loop: {} to {}\n{}", loop->lowered.begin, loop->lowered.end - 1,
                         text_of(loop->lowered));
  return out;
}

}  // namespace

std::string dump_types(const std::vector<const HotFunction*>& functions) {
  return dump_loops(functions, [](const native::Lowered& lowered) { return lowered.types; });
}

std::string dump_native(const std::vector<const HotFunction*>& functions) {
  return dump_loops(functions, [](const native::Lowered& lowered) { return native::dump(lowered.code); });
}

}  // namespace quill
