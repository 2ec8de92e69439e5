// Reads one file in a process of its own and writes what it held to its output; without a file, unpacks what comes from its
// input. Started by the programs, never by hand.

#include "io/import/import.h"

#include <string_view>
#include <unistd.h>

int main(int argc, char** argv) {
    if (argc == 1)
        return thicket::detail::serveUnpacking(STDIN_FILENO, STDOUT_FILENO);
    const bool apart = argc == 3 && std::string_view(argv[2]) == thicket::detail::kApartArgument;
    if (argc != 2 && !apart)
        return 2;
    return thicket::detail::serveReader(argv[1], apart ? thicket::Meshes::Apart : thicket::Meshes::Together,
                                        STDOUT_FILENO);
}
