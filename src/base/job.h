#pragma once
// What long work is given: a way to be stopped and a way to say how far it is.

#include <functional>
#include <stop_token>
#include <string>
#include <string_view>

namespace thicket {

/// Passed by value to every long function. Copies share the same stop token and listener.
/// THREADS  `report` is called on the thread that runs the work and on no other, be it within a parallel loop.
struct JobContext {
    std::stop_token stop;
    std::function<void(double fraction, std::string_view phrase)> progress;
    double from = 0.0;
    double to = 1.0;

    [[nodiscard]] bool cancelled() const { return stop.stop_requested(); }
    void report(double fraction, std::string_view phrase) const {
        if (progress)
            progress(from + (to - from) * fraction, phrase);
    }
    /// The same job seen by one of its steps, whose own 0..1 is [a, b] of this one.
    [[nodiscard]] JobContext part(double a, double b) const {
        return {stop, progress, from + (to - from) * a, from + (to - from) * b};
    }
    /// The same job for steps that come as often as it takes: nobody can say how far they are.
    [[nodiscard]] JobContext silent() const { return {stop, {}}; }
};

} // namespace thicket
