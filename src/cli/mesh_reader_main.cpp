// The process that reads one file which a library reads that does not look what it is given. See
// io/confined_reader.h.
#include <cstdlib>

#include "io/process/confined_reader.h"

// What it holds goes with it: to take it apart first would take longer than some files.
int main(int argc, char** argv) { std::_Exit(ovrix::io::readingProcess(argc, argv)); }
