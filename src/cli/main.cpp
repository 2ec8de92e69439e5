#include "cli/cli.h"

#include <csignal>
#include <iostream>
#include <thread>

namespace {
std::stop_source stopSource;
volatile std::sig_atomic_t interrupted = 0;
} // namespace

int main(int argc, char** argv) {
    std::signal(SIGINT, [](int) { interrupted = 1; });
    // A signal handler may not touch a stop source, so a small thread carries the wish over.
    const std::jthread watcher([](const std::stop_token& over) {
        while (!over.stop_requested()) {
            if (interrupted != 0)
                stopSource.request_stop();
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
    });
    return thicket::cli::run({argv + 1, argv + argc}, std::cout, std::cerr, stopSource.get_token());
}
