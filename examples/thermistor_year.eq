#: # A year of a thermistor chain
#: Hourly temperatures at 14 depths from a NetCDF file: when the lake is layered, how warm each depth is, and how much
#: heat the lake holds. The file knows its units and the names of its axes.

lake = load("lake/chain.nc")
lake

hottest = max(lake.temperature, over: "time", skip_nan: true)
warmest = timestamp_text(lake.time[argmax(lake.temperature[.., 1])])
print("warmest at the surface: {hottest[1]:.1f} °C, {warmest}")

#: The lake is layered while the surface is much warmer than the bottom.
difference = lake.temperature[.., 1] - lake.temperature[.., last]
print("layered by more than 5 °C for {sum(difference > 5) / 24:.0f} days")

#: Heat above 4 °C in a column of 1 m², by the trapezoidal rule over the depths.
heat = 4.19 * integrate_samples(lake.depth, lake.temperature - 4, over: "depth")  # MJ/m²
most = max(heat, skip_nan: true)
print("largest heat content {most:.0f} MJ/m²")

#: Parts of the file without the rest: the first week of July at three depths.
july = load("lake/chain.nc", only: "temperature", ranges: (time: 4345..4512, depth: 1..9 by 4))
week = mean(july, over: "time")
print("first week of July at 0.5, 8 and 14 m: {week:.1f} °C")

figure("thermistor_year", width: 170, height: 110, rows: [3, 2], link_x: "columns") {
    panel(1, 1) {
        heatmap(lake.time, lake.depth, lake.temperature)
        y_axis(reverse: true)
        color_bar("°C")
        title("Water temperature of Lake Velm")
    }
    panel(2, 1) {
        line(lake.time, heat, width: 0.6)
        y_axis("heat above 4 °C (MJ/m²)")
    }
}
