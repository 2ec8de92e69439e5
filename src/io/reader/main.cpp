// Reads one file in a process of its own and writes what it held to its output. Started by the programs, never by hand.

#include "io/import/import.h"

#include <unistd.h>

int main(int argc, char** argv) {
    if (argc != 2)
        return 2;
    return thicket::detail::serveReader(argv[1], STDOUT_FILENO);
}
