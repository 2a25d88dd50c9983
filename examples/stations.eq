#: # Three stations: from the loggers' file to the table of the paper
#: Temperatures at the inlet of Lake Velm, over its deepest place and at the outlet, every half hour with gaps. How much
#: is missing, how warm is it, and how long does a warm pulse of the inflow take through the lake?

section "The readings"

readings = load("lake/stations.csv")
show(readings, rows: 4)

#: One row for each station: what is there, what is missing, and the numbers that papers print.
fn described(part) {
    t = part.temperature
    low, middle, high = quantile(t[is_finite(t)], [0.05, 0.5, 0.95])
    return (readings: length(t), missing: sum(is_nan(t)), mean: mean(t, skip_nan: true), low: low, median: middle, high: high)
}
summary = group(described, readings, by: "station")
summary
expect sum(summary.readings) == length(readings.time)

section "Every hour"

#: Hourly means of each station, on one clock; an hour without a reading stays empty.
start = min(readings.time)
hours = start + 3600 * (0..239)
edges = join(hours, [hours[last] + 3600])

fn hourly(name) {
    ours = rows(readings, readings.station == name and is_finite(readings.temperature))
    return bin_means(ours.time, ours.temperature, edges)
}
inlet = hourly("inlet")
deep = hourly("deep")
outlet = hourly("outlet")
print("hours without a reading: {sum(is_nan(deep))} at the deep station, {sum(is_nan(outlet))} at the outlet")

#: Gaps are interpolated with a monotone curve, only to make the series comparable.
fn closed(t) = interpolate(hours[is_finite(t)], t[is_finite(t)], at: hours, method: "monotone", outside: "clamp")
hour_of_day = date_parts(hours).hour

#: The daily cycle would hide the pulses: the mean of each hour of the day is subtracted.
fn without_day(t) = t - [mean(t[hour_of_day == h]) for h in hour_of_day]
series = {"inlet": without_day(closed(inlet)), "deep": without_day(closed(deep)), "outlet": without_day(closed(outlet))}

section "How long a pulse takes"

#: The correlation of the inlet with a later station, for every delay up to two days.
delays = 0..48
fn delayed(later) = [correlation(series["inlet"][1..last - d], series[later][1 + d..last]) for d in delays]
to_deep = delayed("deep")
to_outlet = delayed("outlet")
found = (station: ["deep", "outlet"],
    delay: [delays[argmax(to_deep)], delays[argmax(to_outlet)]],
    correlation: round([max(to_deep), max(to_outlet)], digits: 3))
found
expect abs(found.delay[1] - 14) <= 2 and abs(found.delay[2] - 26) <= 2

section "For the paper"

#: One table, in the order of the water's way, with units in the header.
way = (station: ["inlet", "deep", "outlet"], place: [1, 2, 3])
paper = sort(join(join(summary, found, by: "station", keep: "left"), way, by: "station"), by: "place")
paper = with(remove(paper, "place"), mean: round(paper.mean, digits: 2), low: round(paper.low, digits: 2),
    median: round(paper.median, digits: 2), high: round(paper.high, digits: 2))
show(paper)
save("stations-paper.csv", paper)

figure("stations", width: 170, height: 120, rows: 2, columns: 1) {
    panel(1, 1) {
        title("Hourly means")
        line(hours, inlet, label: "inlet")
        line(hours, deep, label: "deep")
        line(hours, outlet, label: "outlet")
        y_axis("temperature (°C)")
        legend("ends")
    }
    panel(2, 1) {
        title("Correlation with the inlet, later")
        line(delays, to_deep, label: "deep", color: 2)
        line(delays, to_outlet, label: "outlet", color: 3)
        guide(x: found.delay[1])
        guide(x: found.delay[2])
        x_axis("delay (h)")
        y_axis("correlation")
        legend("ends")
    }
}
