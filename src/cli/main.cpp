#include <iostream>

#include "cli/commands.h"

int main(int argc, char** argv) { return ovrix::cli::run({argv + 1, argv + argc}, std::cout, std::cerr); }
