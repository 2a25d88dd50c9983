use "a" as b
given r = 1 "d"
timed "x" (repeat: 2) { a = alias b[..] }
extend("f") { }
for a, b in d { while a { break } }
x = {"a": [k for k in 1..3 if k > 1]}
expect each f(x) == 1, "no {x:.2f}"
