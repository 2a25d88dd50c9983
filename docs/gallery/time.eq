#: Time axes: from columns of dates
gauge = load("../../examples/lake/gauge.csv")
figure("time", height: 80) {
    title("The gauge in June")
    line(gauge.time, gauge.level)
    guide(x: timestamp("2026-06-09"), dash: "dotted")
    note("the flood arrives", at: (timestamp("2026-06-09"), 1.5), offset: (-12, 26), arrow: "straight")
}
