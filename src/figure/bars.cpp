#include "figure/bars.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace quill {

namespace {

// The layers of one call, in order.
struct CallOfBars {
  std::vector<Layer*> layers;
  std::set<double> positions;
  const BarCall& asked() const { return *layers[0]->bars; }
  bool is_lying() const { return layers[0]->is_lying; }
  bool has_names() const { return is_lying() ? layers[0]->y_is_named : layers[0]->x_is_named; }
  int slots() const { return asked().is_stacked ? 1 : static_cast<int>(layers.size()); }
  bool meets(const CallOfBars& other) const {
    return std::any_of(positions.begin(), positions.end(),
                       [&](double p) { return other.positions.contains(p); });
  }
};

std::vector<CallOfBars> calls_of(Panel& panel) {
  std::vector<CallOfBars> out;
  for (auto& layer : panel.layers) {
    if (!layer.bars) continue;
    if (out.empty() || out.back().asked().number != layer.bars->number) out.emplace_back();
    auto& call = out.back();
    call.layers.push_back(&layer);
    for (const double p : layer.x)
      if (std::isfinite(p)) call.positions.insert(p);
  }
  return out;
}

// Groups of calls with a common position, directly or through other calls.
std::vector<std::vector<CallOfBars*>> groups_of(std::vector<CallOfBars>& calls) {
  std::vector<std::vector<CallOfBars*>> groups;
  for (auto& call : calls) {
    std::vector<CallOfBars*> joined;
    for (auto& group : groups) {
      const bool belongs =
          !call.asked().is_overlaid && std::any_of(group.begin(), group.end(), [&](const CallOfBars* other) {
            return !other->asked().is_overlaid && other->is_lying() == call.is_lying() && other->meets(call);
          });
      if (!belongs) continue;
      joined.insert(joined.end(), group.begin(), group.end());
      group.clear();
    }
    joined.push_back(&call);
    groups.push_back(std::move(joined));
    std::erase_if(groups, [](const auto& group) { return group.empty(); });
  }
  return groups;
}

// The least distance between positions; 1 between names, and where there is one position alone.
double spacing_of(const std::vector<CallOfBars*>& group) {
  std::set<double> all;
  for (const auto* call : group) {
    if (call->has_names()) return 1;
    all.insert(call->positions.begin(), call->positions.end());
  }
  double spacing = INFINITY;
  for (auto at = all.begin(); at != all.end() && std::next(at) != all.end(); ++at)
    spacing = std::min(spacing, *std::next(at) - *at);
  return std::isfinite(spacing) ? spacing : 1;
}

void place(Layer& layer, double left, double width, std::vector<double>* above, std::vector<double>* below) {
  const auto n = layer.x.size();
  layer.left.assign(n, 0);
  layer.right = layer.low = layer.high = layer.left;
  for (std::size_t k = 0; k < n; ++k) {
    layer.left[k] = layer.x[k] + left;
    layer.right[k] = layer.left[k] + width;
    const double y = layer.y[k];
    layer.low[k] = layer.base;
    layer.high[k] = y;
    if (!above) continue;
    double& end = y < 0 ? (*below)[k] : (*above)[k];
    layer.low[k] = end;
    layer.high[k] = end + y;
    if (std::isfinite(y)) end += y;
  }
  if (layer.is_lying) {
    std::swap(layer.left, layer.low);
    std::swap(layer.right, layer.high);
  }
}

}  // namespace

void arrange_bars(Panel& panel) {
  auto calls = calls_of(panel);
  for (const auto& group : groups_of(calls)) {
    int slots = 0;
    for (const auto* call : group) slots += call->slots();
    const double room = group[0]->asked().share * spacing_of(group), width = room / slots;
    int slot = 0;
    for (const auto* call : group) {
      std::vector<double> above(call->layers[0]->x.size(), call->layers[0]->base), below = above;
      const bool stacks = call->asked().is_stacked;
      for (std::size_t c = 0; c < call->layers.size(); ++c)
        place(*call->layers[c], -room / 2 + width * (slot + (stacks ? 0 : static_cast<int>(c))), width,
              stacks ? &above : nullptr, stacks ? &below : nullptr);
      slot += call->slots();
    }
  }
}

}  // namespace quill
