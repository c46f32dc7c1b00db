// The process that reads one file which a library reads that does not look what it is given. See
// io/confined_reader.h.
#include "io/confined_reader.h"

int main(int argc, char** argv) { return ovrix::readingProcess(argc, argv); }
