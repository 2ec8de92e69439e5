#pragma once
// The command line: parses, calls the core, prints. Exit codes: 0 done, 1 bad input, 2 bad usage, 3 a check did not
// hold, 4 cancelled.

#include <iosfwd>
#include <stop_token>
#include <string>
#include <vector>

namespace thicket::cli {

/// args without the program's name.
/// THREADS    call once at a time.
int run(const std::vector<std::string>& args, std::ostream& out, std::ostream& err, std::stop_token stop);

} // namespace thicket::cli
