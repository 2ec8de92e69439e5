#include "base/text.h"
#include "budget/calibrate.h"
#include "cli/report.h"
#include "io/import/frame_times.h"
#include "io/project/device_file.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <ostream>

namespace thicket::cli {

int device(const Console& console, const DeviceOptions& options) {
    const auto rows = readFrameTimes(options.table);
    if (!rows)
        return fail(console, rows.error());
    const auto found = calibrate(*rows);
    if (!found) {
        Error error = found.error();
        error.where = options.table.string();
        return fail(console, error);
    }
    Device made;
    made.name = options.name;
    made.frameMs = options.frameMs;
    made.frameRate = options.frameRate;
    made.source = fmt::format("measured: {} frames of {}, {:.3g} ms off", rows->size(),
                              options.table.filename().string(), found->rms);
    found->into(made);
    if (!options.out.empty())
        if (auto written = writeDevices({made}, options.out); !written)
            return fail(console, written.error());
    const double figures[] = {made.nsPerTriangle, made.nsPerVertex, made.usPerDraw, made.nsPerPixel, made.baseMs};
    const char* units[] = {"ns", "ns", "us", "ns", "ms"};
    if (console.json) {
        nlohmann::ordered_json told = nlohmann::ordered_json::object();
        for (std::size_t k = 0; k < 5; ++k)
            told[keyOf(kFigures[k].value)] = {{"value", figures[k]}, {"error", found->error[k]}, {"unit", units[k]}};
        print(console, nlohmann::ordered_json{{"table", options.table.string()},
                                              {"rows", rows->size()},
                                              {"figures", told},
                                              {"rms_ms", found->rms},
                                              {"worst_ms", found->worst},
                                              {"undetermined", found->undetermined},
                                              {"residuals_ms", found->residuals}});
        return 0;
    }
    console.out << fmt::format("{} from {} frames, {:.3g} ms off (rms), {:.3g} ms at the most\n", options.name,
                               rows->size(), found->rms, found->worst);
    for (std::size_t k = 0; k < 5; ++k)
        console.out << fmt::format("  {:<12} {:>10} {} +- {}\n", nameOf(kFigures[k].value), figure(figures[k], 4),
                                   units[k], figure(found->error[k], 2));
    for (const std::string& what : found->undetermined)
        console.out << "  ! " << what << '\n';
    return 0;
}

} // namespace thicket::cli
