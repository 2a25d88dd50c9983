#include "app/program.h"

int main(int count, char** arguments) { return quill::run_program(count, arguments); }
