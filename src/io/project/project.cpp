#include "io/project/project.h"

#include "base/file.h"
#include "base/parallel.h"
#include "io/project/attach_source.h"
#include "io/project/kept_beside.h"
#include "io/project/project_text.h"
#include "scene/kinds.h"
#include "scene/mend_subject.h"

#include <algorithm>
#include <atomic>
#include <map>
#include <optional>
#include <thread>

namespace thicket {
namespace fs = std::filesystem;

Result<void> writeProject(const Scene& scene, const fs::path& path, bool keepLevels) {
    // What stands beside first and the clearing up last: whatever fails on the way, what was saved before stays whole.
    BesideFiles beside;
    const std::string text = encodeProject(scene, path.parent_path(), &beside);
    if (auto done = writeBeside(beside, path); !done)
        return done;
    if (keepLevels)
        if (auto done = keepLevelsOf(scene, path, keptBeside); !done)
            return done;
    if (auto done = writeTextFile(path, text); !done)
        return done;
    if (keepLevels)
        dropOldFiles(scene, beside, path);
    return {};
}

Result<void> writeAutosave(const Scene& scene, const fs::path& file) {
    const auto irreplaceable = [](const Level& level) {
        return keptBeside(level) && level.origin != LevelOrigin::Collapsed;
    };
    BesideFiles beside;
    const std::string text = encodeProject(scene, file.parent_path(), &beside);
    if (auto done = writeBeside(beside, file); !done)
        return done;
    if (auto done = keepLevelsOf(scene, file, irreplaceable); !done)
        return done;
    return writeTextFile(file, text);
}

namespace {

/// A subject of a project with what its files hold, and what is to be said of that.
struct ReadSubject {
    Subject subject;
    std::vector<Error> problems;
    bool toCut = false; ///< a cut level is not kept beside the project
};

using FileKey = std::pair<fs::path, bool>; ///< whether it is taken apart
using FilesRead = std::map<FileKey, Result<std::vector<ImportedSubject>>>;

FileKey keyOf(const Subject& subject) {
    return {subject.source.path, subject.source.apart};
}

/// The files that several meshes come from, each read once, or what is wrong with it.
FilesRead readShared(const std::vector<Subject>& subjects, const JobContext& job) {
    std::map<FileKey, int> wanted;
    for (const Subject& subject : subjects)
        if (subject.isMesh())
            ++wanted[keyOf(subject)];
    std::erase_if(wanted, [](const auto& entry) { return entry.second < 2; });
    std::vector<FileKey> keys;
    for (const auto& [key, count] : wanted)
        keys.push_back(key);
    if (!keys.empty())
        job.report(0, "reading what several subjects come from");
    std::vector<Result<std::vector<ImportedSubject>>> read(keys.size(), cancelledError());
    parallelChunks(keys.size(), 1, job, [&](std::size_t k, std::size_t) {
        read[k] = readModel(keys[k].first, job.silent(), keys[k].second ? Meshes::Apart : Meshes::Together);
    });
    FilesRead out;
    for (std::size_t k = 0; k < keys.size(); ++k)
        out.emplace(keys[k], std::move(read[k]));
    return out;
}

/// ERRORS     Cancelled; all else is a problem.
Result<ReadSubject> readSubject(const Subject& before, const fs::path& project, int version, const FilesRead& files,
                                const JobContext& job) {
    ReadSubject out{before, {}, false};
    const auto read = before.isMesh() ? files.find(keyOf(before)) : files.end();
    Result<Subject> attached = cancelledError();
    if (read == files.end())
        attached = attachUnlooked(before, before.source.path, job, levelsFolder(project));
    else if (read->second)
        attached = attachUnlooked(before, before.source.path, job, levelsFolder(project), &*read->second);
    else
        attached = read->second.error();
    if (!attached) {
        if (attached.error().code == ErrorCode::Cancelled)
            return attached.error();
        Error problem = attached.error();
        problem.where = before.name + " (" + before.source.path.string() + ")";
        problem.remedy = before.emitter() != nullptr ? "put the picture back and open the project again"
                         : before.strands() != nullptr && before.strands()->recipe
                             ? "grow it again in Gather"
                             : "point to the file again in Gather";
        out.problems.push_back(problem);
        return out;
    }
    out.subject = std::move(*attached);
    Subject& subject = out.subject;
    const bool changed = subject.source.hash != before.source.hash;
    if (changed)
        out.problems.push_back({ErrorCode::BadInput, subject.name,
                                "the source file has changed since the project was saved",
                                subject.isMesh()               ? "thin it again to bring its levels up to date"
                                : subject.terrain() != nullptr ? "look whether its strokes still lie where they should"
                                                               : "look at its levels again"});
    if (!subject.isMesh())
        return out;
    takeKeptLevels(subject.mesh(), project, changed, version < 2, job);
    if (std::erase_if(subject.mesh().levels, [](const Level& l) {
            return !l.mesh && l.origin != LevelOrigin::Collapsed && l.origin != LevelOrigin::Source;
        }) > 0)
        out.problems.push_back({ErrorCode::NotFound, subject.name,
                                "a level that was not cut is missing from the folder of levels beside the project",
                                "add it again"});
    for (Level& level : subject.mesh().levels)
        if (level.origin == LevelOrigin::Collapsed && !level.mesh) {
            out.toCut = true;
            level.surfaces.reset();
        }
    if (job.cancelled())
        return cancelledError();
    return out;
}

} // namespace

Result<ProjectLoad> readProject(const fs::path& path, const JobContext& job, ProjectFindings findings) {
    auto text = readTextFile(path);
    if (!text)
        return text.error();
    auto decoded =
        decodeProject(*text, fs::absolute(path).parent_path(), path.string(), readerBeside(levelsFolder(path)));
    if (!decoded)
        return decoded.error();
    ProjectLoad load{std::move(decoded->scene), {}, {}};
    std::vector<Subject>& subjects = load.scene.subjects;
    const FilesRead files = readShared(subjects, job);
    std::vector<std::optional<Result<ReadSubject>>> read(subjects.size());
    std::atomic<std::size_t> done = 0;
    // Only what this thread reads is told of: how far it is itself, with what others have read meanwhile.
    const auto owner = std::this_thread::get_id();
    const double all = static_cast<double>(std::max<std::size_t>(1, subjects.size()));
    double farthest = 0;
    JobContext told = job;
    told.progress = [&job, &farthest](double fraction, std::string_view phrase) {
        farthest = std::max(farthest, fraction);
        if (job.progress)
            job.progress(farthest, phrase);
    };
    JobContext silent;
    silent.stop = job.stop;
    const auto readOne = [&](std::size_t i) {
        const bool tell = std::this_thread::get_id() == owner;
        const double from = static_cast<double>(done) / all;
        const JobContext own = tell ? told.part(from, from + 1 / all) : silent;
        own.report(0, "reading " + subjects[i].name);
        read[i] = readSubject(subjects[i], path, decoded->version, files, own);
        if (*read[i] && (*read[i])->subject.isMesh() && (*read[i])->subject.mesh().source().mesh &&
            findings == ProjectFindings::Looked)
            (*read[i])->subject.findings = findProblems((*read[i])->subject);
        ++done;
    };
    // Grounds one after the other: of the same heights they keep the same store.
    std::vector<std::vector<std::size_t>> together(1);
    for (std::size_t i = 0; i < subjects.size(); ++i) {
        if (subjects[i].terrain() != nullptr)
            together.front().push_back(i);
        else if (subjects[i].instances() == nullptr)
            together.push_back({i});
    }
    parallelChunks(together.size(), 1, job, [&](std::size_t k, std::size_t) {
        for (const std::size_t i : together[k])
            if (!job.cancelled())
                readOne(i);
    });
    if (job.cancelled())
        return cancelledError();
    for (std::size_t i = 0; i < subjects.size(); ++i) {
        if (!read[i])
            continue;
        if (!*read[i])
            return read[i]->error();
        ReadSubject& one = **read[i];
        load.problems.insert(load.problems.end(), one.problems.begin(), one.problems.end());
        if (one.toCut)
            load.toCut.push_back(one.subject.id);
        subjects[i] = std::move(one.subject);
    }
    for (Subject& subject : subjects)
        if (!subject.isMesh() || !subject.mesh().source().mesh)
            refresh(load.scene, subject);
    return load;
}

} // namespace thicket
