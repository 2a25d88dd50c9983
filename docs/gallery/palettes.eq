#: Palettes: four from dark to light, two around zero, one for angles
names = ["lagoon", "kiln", "moss", "slate", "ridge", "tide", "compass"]
figure("palettes", width: 160, height: 120, rows: 7) {
    for k in 1..7 {
        panel(k, 1) {
            title(names[k])
            heatmap(across(0..1 count 256), palette: names[k])
            frame("none")
        }
    }
}
