#: # From readings to seasons and a trend
#: A gauge writes the level every six hours in local time, with gaps. Daily means, months, anomalies and a trend with an
#: honest test come out of it.
seed(21)

section "Readings in local time"
#: A logger writes local times. `zone:` makes them unique points in time; where clocks change, a warning says what was meant.
start = timestamp("01.01.2021 00:30", format: "%d.%m.%Y %H:%M", zone: "Europe/Zurich")
times = start + 6 * 3600 * (0..7300)
day = (times - start) / 86400
noise = moving(mean, random_normal(length(times)), window: 41) * 5
level = 430.2 + 0.35 * sin(2*pi * (day - 110) / 365.25) - 0.012 * day / 365.25 + 0.06 * noise
#: A week without readings, and single ones that are missing.
lost = (day > 600 and day < 607) or random(length(day)) < 0.03
level = pick(lost, nan, level)

section "Days and gaps"
daily = aggregate(mean, times, level, every: "1 d", at_least: 0.75)
print("{length(daily.time)} days, {sum(is_nan(daily.value))} of them without enough readings")
whole = fill_gaps(daily.time, daily.value, longest: "3 d")
print("{sum(is_nan(whole))} days are still missing after gaps up to three days are filled")

section "Months and trend"
monthly = aggregate(mean, times, level, every: "1 month", at_least: 0.5)
seasons = seasonal_means(monthly.time, monthly.value)
change = trend(monthly.time, seasons.anomalies)
print("trend {1000 * change.slope:.1f} mm per {change.per}, 95 % between {1000 * change.interval[1]:.1f} and {1000 * change.interval[2]:.1f}; p = {change.p:.1e}")
#: The test takes into account that neighbouring months are alike: the variance grows by this factor.
print("correction for memory: {change.correction:.2f}")

figure("level-record", rows: 2, width: 170, height: 100, link_x: "columns") {
    panel(1, 1) {
        line(daily.time, daily.value, label: "daily means")
        month = date_parts(daily.time).month
        line(daily.time, seasons.mean[month], color: 2, label: "seasonal mean")
        y_axis("level (m)", limits: (429.6, 431.4))
        legend("top right")
    }
    panel(2, 1) {
        steps(monthly.time, 100 * seasons.anomalies)
        years = (monthly.time - monthly.time[1]) / (365.2425 * 86400)
        line(monthly.time, 100 * (change.intercept + change.slope * years), color: 2, label: "trend")
        guide(y: 0)
        y_axis("anomaly (cm)")
        legend("top right")
    }
}
