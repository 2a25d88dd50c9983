#: The colours of the cycle, in every theme
themes = ["quill", "field", "night", "print", "slides"]
for name in themes {
    figure("cycle-{name}", width: 160, height: 26, theme: name) {
        for k in 1..8 { bars([k], [1], color: k, share: 0.9) }
        frame("none")
        grid("none")
        title(name)
    }
}
