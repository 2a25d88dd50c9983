#: # Resample a time series, fill its gaps, find a lag
#: Temperatures at three stations, every half hour with gaps: hourly means, gaps filled if they are short, and the time that a
#: warm pulse takes from the inlet to the outlet.
readings = load("../lake/stations.csv")
show(readings, rows: 3)

section "Hourly means"
#: One clock for all stations; an hour without a reading is nan.
start = min(readings.time)
hours = start + 3600 * (0..239)
edges = start + 3600 * (0..240)
fn hourly(name) {
    own = rows(readings, readings.station == name and is_finite(readings.temperature))
    return bin_means(own.time, own.temperature, edges)
}
inlet = hourly("inlet")
outlet = hourly("outlet")
print("hours without a reading: {sum(is_nan(inlet))} at the inlet, {sum(is_nan(outlet))} at the outlet")

section "Fill short gaps"
#: A missing hour is interpolated if a reading is at most two hours away; longer gaps stay missing.
fn filled_up(t) {
    hour = 1..length(t)
    there = positions(is_finite(t))
    distance = abs(hour - interpolate(there, there, at: hour, method: "nearest", outside: "clamp"))
    return pick(distance <= 2, interpolate(there, t[there], at: hour, method: "monotone", outside: "clamp"), nan)
}
inlet = filled_up(inlet)
outlet = filled_up(outlet)
print("still missing: {sum(is_nan(inlet))} and {sum(is_nan(outlet))} hours")

section "The lag between the stations"
#: The daily cycle would hide the pulse, so the mean of each hour of the day is subtracted first.
hour = date_parts(hours).hour
fn anomaly(t) = t - [mean(t[hour == h], skip_nan: true) for h in hour]
a = anomaly(inlet)
b = anomaly(outlet)
fn lagged(lag) {
    u = a[1..last - lag]
    v = b[1 + lag..last]
    both = is_finite(u) and is_finite(v)
    return correlation(u[both], v[both])
}
lags = 0..48
r = [lagged(k) for k in lags]
print("the outlet follows after {lags[argmax(r)]} h, with a correlation of {max(r):.2f}")
expect abs(lags[argmax(r)] - 26) <= 2

figure("time-series", width: 150, height: 110, rows: [3, 2]) {
    panel(1, 1) {
        line(hours, inlet, label: "inlet")
        line(hours, outlet, label: "outlet")
        y_axis("temperature (°C)")
        legend("best")
    }
    panel(2, 1) {
        stems(lags, r)
        guide(x: lags[argmax(r)], dash: "dashed")
        x_axis("lag (h)")
        y_axis("correlation")
    }
}
