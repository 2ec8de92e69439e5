#include "appmodel/autosave_place.h"

#include "appmodel/text.h"
#include "io/project/project.h"

#include <QStandardPaths>
#include <QUuid>
#include <algorithm>

namespace thicket::app {
namespace fs = std::filesystem;
namespace {

constexpr const char* kSuffix = ".autosave";

fs::path folder() {
    return toPath(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation));
}

std::unique_ptr<QLockFile> lockOf(const fs::path& file) {
    auto lock = std::make_unique<QLockFile>(toText(file.string() + ".lock"));
    lock->setStaleLockTime(0); // held for as long as its process lives
    return lock;
}

} // namespace

AutosavePlace::AutosavePlace() {
    moveTo({});
}

void AutosavePlace::moveTo(const fs::path& project) {
    m_lock.reset();
    m_named = !project.empty();
    if (m_named) {
        m_path = besideProject(project);
        return;
    }
    std::error_code ec;
    fs::create_directories(folder(), ec);
    const QString unique = QUuid::createUuid().toString(QUuid::WithoutBraces).left(8);
    m_path = folder() / ("untitled-" + unique.toStdString() + kProjectSuffix + kSuffix);
    m_lock = lockOf(m_path);
    m_lock->tryLock(0);
}

void AutosavePlace::takeOver(const fs::path& autosave) {
    m_named = false;
    m_path = autosave;
    m_lock = lockOf(autosave);
    m_lock->tryLock(0);
}

fs::path AutosavePlace::besideProject(const fs::path& project) {
    return fs::path(project.string() + kSuffix);
}

std::vector<fs::path> AutosavePlace::leftBehind() {
    std::vector<fs::path> out;
    std::error_code ec;
    for (auto entry = fs::directory_iterator(folder(), ec); !ec && entry != fs::directory_iterator();
         entry.increment(ec)) {
        const std::string name = entry->path().filename().string();
        if (name.starts_with("untitled") && name.ends_with(kSuffix) && lockOf(entry->path())->tryLock(0))
            out.push_back(entry->path());
    }
    std::sort(out.begin(), out.end());
    return out;
}

} // namespace thicket::app
