// Reads one file in a process of its own and writes what it held to its output; without a file, unpacks what comes from its
// input. Started by the programs, never by hand.

#include "io/import/import.h"

#include <unistd.h>

int main(int argc, char** argv) {
    if (argc == 1)
        return thicket::detail::serveUnpacking(STDIN_FILENO, STDOUT_FILENO);
    if (argc != 2)
        return 2;
    return thicket::detail::serveReader(argv[1], STDOUT_FILENO);
}
