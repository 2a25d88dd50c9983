#include "builtins/tables.h"

namespace quill {

const Registry& builtins() {
  static const Registry registry = [] {
    std::vector<Builtin> all;
    for (auto* table :
         {constant_rows,   elementwise_rows,   reduction_rows,    running_rows,    making_rows,
          shape_rows,      ordering_rows,      function_rows,     value_rows,      collection_rows,
          column_rows,     pivot_rows,         text_rows,         pattern_rows,    time_rows,
          series_rows,     linear_rows,        transform_rows,    spectrum_rows,   filter_rows,
          signal_rows,     interpolation_rows, scattered_rows,    integral_rows,   calculus_rows,
          search_rows,     evolution_rows,     statistics_rows,   special_rows,    distribution_rows,
          hypothesis_rows, resampling_rows,    variable_rows,     polynomial_rows, fit_rows,
          regression_rows, random_rows,        file_rows,         opening_rows,    layer_rows,
          bar_layer_rows,  field_layer_rows,   sample_layer_rows, figure_rows,     figure_surroundings_rows,
          output_rows})
      for (auto& row : table()) all.push_back(std::move(row));
    add_trade_words(all);
    add_related(all);
    return Registry(std::move(all));
  }();
  return registry;
}

}  // namespace quill
