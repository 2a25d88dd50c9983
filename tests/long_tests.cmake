# Read by ctest behind the lists of tests: the longest ones begin first, so that none of them is alone at the end.
foreach(long IN ITEMS
    "session:a session is its list of entries, by every way to run it"
    "session:any entries become a script that gives the same values"
    "array:long vectors of every type are sorted as short ones are, by any number of threads"
    "cli:a killed program loses no entry that it accepted, three hundred times"
    "fusion:functions of two arrays have the bits of functions of two numbers"
    "numerics:integrals over two and three variables are right within their errors, or warn"
    "cli:reports are accessible, fit narrow screens and long pages")
  set_tests_properties("${long}" PROPERTIES COST 900)
endforeach()
