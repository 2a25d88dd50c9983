s = 0
for k in 1..10^7 {
    s += k % 7 * 0.5
}
print(s)
