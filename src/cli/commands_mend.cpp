#include "base/file.h"
#include "base/text.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "cli/report.h"
#include "io/import/import.h"
#include "io/project/project.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "io/ship/write_obj.h"
#include "scene/mend_subject.h"

#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <ostream>
#include <set>

namespace thicket::cli {
namespace fs = std::filesystem;
using nlohmann::ordered_json;

namespace {

/// A subject that mends were made to, and how much each changed.
struct MendReport {
    Subject subject;
    std::vector<std::pair<Mend, std::uint32_t>> made;
    bool inOrder = false; ///< levels were put in order
};

/// The mends that options name, in the order that lets one help the next; with `--all`, those of the findings.
std::vector<Mend> mendsOf(const MendOptions& options, const Subject& subject) {
    std::vector<Mend> out = options.mends;
    if (!options.all)
        return out;
    for (const Finding& finding : subject.findings) {
        const auto mend = mendFor(subject, finding);
        if (mend && finding.serious &&
            std::none_of(out.begin(), out.end(), [&](const Mend& m) { return m.kind == mend->kind; }))
            out.push_back(*mend);
    }
    return out;
}

Result<MendReport> mended(const Subject& subject, const MendOptions& options, const JobContext& job) {
    MendReport out{subject, {}, false};
    for (const Mend& mend : mendsOf(options, subject)) {
        auto made = mendSubject(out.subject, mend, job);
        if (!made)
            return made.error();
        out.subject = std::move(made->subject);
        out.made.emplace_back(mend, made->count);
    }
    const auto outOfOrder = [](const Finding& f) { return f.kind == FindingKind::LevelsOutOfOrder; };
    if (options.all && std::any_of(subject.findings.begin(), subject.findings.end(), outOfOrder)) {
        out.subject = withLevelsInOrder(out.subject);
        out.inOrder = true;
    }
    return out;
}

ordered_json encode(const MendReport& report, const fs::path& file) {
    ordered_json made = ordered_json::array();
    for (const auto& [mend, count] : report.made) {
        ordered_json one{{"mend", keyOf(mend.kind)}};
        if (mendRange(mend.kind).second > 0)
            one["value"] = mend.value;
        one["count"] = count;
        made.push_back(std::move(one));
    }
    ordered_json findings = ordered_json::array();
    for (const Finding& f : report.subject.findings)
        findings.push_back({{"text", f.text()}, {"count", f.count}, {"level", f.level}, {"serious", f.serious}});
    return {{"subject", report.subject.name},
            {"file", file.string()},
            {"mends", made},
            {"levels_in_order", report.inOrder},
            {"triangles", report.subject.mesh().source().triangles},
            {"findings", findings}};
}

void print(const Console& console, const MendReport& report, const fs::path& file) {
    console.out << fmt::format("{}  {} triangles  -> {}\n", report.subject.name,
                               grouped(report.subject.mesh().source().triangles), file.string());
    for (const auto& [mend, count] : report.made)
        console.out << fmt::format("  {:<34} {}\n", nameOf(mend.kind), count == 0 ? "nothing to do" : grouped(count));
    if (report.inOrder)
        console.out << "  Levels put in order\n";
    for (const Finding& f : report.subject.findings)
        console.out << (f.serious ? "  ! " : "  - ") << f.text() << '\n';
}

Result<void> write(const MendReport& report, const fs::path& file) {
    const LevelSet set = joinLevels(report.subject);
    if (file.extension() == ".obj")
        return writeObj(file, report.subject.name, *set.meshes.front(), set.surfaces, {});
    return writeFile(file, encodeGlb(report.subject.name, set.meshes, set.surfaces, GlbLevels::Named, {},
                                     report.subject.mesh().rig.get(), false, viewsOf(report.subject)));
}

int mendProject(const Console& console, const MendOptions& options) {
    const fs::path& project = options.files.front();
    auto scene = openWhole(project, console.job);
    if (!scene)
        return fail(console, scene.error());
    const fs::path out = options.out.empty() ? project : options.out;
    ordered_json told = ordered_json::array();
    bool found = false;
    std::vector<MendReport> reports;
    for (Subject& subject : scene->subjects) {
        if (!subject.isMesh() || (!options.subject.empty() && subject.name != options.subject))
            continue;
        found = true;
        subject.findings = findProblems(subject);
        auto report = mended(subject, options, console.job);
        if (!report)
            return fail(console, report.error());
        subject = report->subject;
        reports.push_back(std::move(*report));
    }
    if (!found)
        return fail(console,
                    {ErrorCode::BadInput, project.string(),
                     options.subject.empty() ? "holds no mesh" : "holds no mesh named \"" + options.subject + "\"",
                     "name one of its meshes with --subject"});
    if (auto written = writeProject(*scene, out, true); !written)
        return fail(console, written.error());
    for (const MendReport& report : reports) {
        told.push_back(encode(report, out));
        if (!console.json)
            print(console, report, out);
    }
    if (console.json)
        print(console, ordered_json{{"subjects", told}});
    return 0;
}

} // namespace

int mend(const Console& console, const MendOptions& options) {
    if (options.mends.empty() && !options.all) {
        console.err << "thicket: mend: nothing was asked for; name a mend, or take all that its findings have with "
                       "--all\n";
        return 2;
    }
    if (options.files.size() == 1 && options.files[0].extension() == ".json")
        return mendProject(console, options);
    if (options.out.empty()) {
        console.err << "thicket: mend: files stay as they are; name the file or folder to write with --out\n";
        return 2;
    }
    std::vector<MendReport> reports;
    for (const fs::path& file : options.files) {
        auto read = readModel(file, console.job);
        if (!read)
            return fail(console, read.error());
        for (ImportedSubject& imported : *read) {
            const std::string name = imported.name;
            const auto ofFile = [&](Error error) {
                error.where = file.string() + (read->size() == 1 ? "" : " (" + name + ")");
                return error;
            };
            if (!options.subject.empty() && name != options.subject)
                continue;
            auto subject = makeSubject(std::move(imported), console.job);
            if (!subject)
                return fail(console, ofFile(subject.error()));
            auto report = mended(*subject, options, console.job);
            if (!report)
                return fail(console, ofFile(report.error()));
            reports.push_back(std::move(*report));
        }
    }
    if (reports.empty())
        return fail(console, {ErrorCode::BadInput, options.files.front().string(),
                              "holds no mesh named \"" + options.subject + "\"", "leave out --subject"});
    const bool obj = options.out.extension() == ".obj";
    if (obj && (reports.size() > 1 || reports.front().subject.mesh().levels.size() > 1)) {
        console.err << "thicket: --out: an OBJ holds one level of one subject; name a folder or a GLB\n";
        return 2;
    }
    const bool toFolder =
        reports.size() > 1 || fs::is_directory(options.out) || (!obj && options.out.extension() != ".glb");
    std::set<std::string> names;
    ordered_json told = ordered_json::array();
    for (const MendReport& report : reports) {
        const fs::path file =
            toFolder ? options.out / (freeFileName(report.subject.name, names) + ".glb") : options.out;
        if (auto written = write(report, file); !written)
            return fail(console, written.error());
        told.push_back(encode(report, file));
        if (!console.json)
            print(console, report, file);
    }
    if (console.json)
        print(console, ordered_json{{"subjects", told}});
    return 0;
}

} // namespace thicket::cli
