#pragma once
// Where unsaved work is kept in case of a crash, and whose it is.

#include <QLockFile>
#include <filesystem>
#include <memory>
#include <vector>

namespace thicket::app {

/// The file that one document's work is kept in. Of a project that has a name it lies beside it. Work without a name
/// lies in the user's data folder under a name of its own, locked for as long as the document is open: two windows
/// never share one, and what is there without a lock was left behind by a crash.
class AutosavePlace {
public:
    AutosavePlace();
    /// For a document with this path; empty: one without a name.
    void moveTo(const std::filesystem::path& project);
    /// Goes on with work without a name that was left behind.
    void takeOver(const std::filesystem::path& autosave);
    [[nodiscard]] const std::filesystem::path& path() const { return m_path; }
    [[nodiscard]] bool named() const { return m_named; }

    static std::filesystem::path besideProject(const std::filesystem::path& project);
    /// Work without a name that no open document holds.
    static std::vector<std::filesystem::path> leftBehind();

private:
    std::filesystem::path m_path;
    bool m_named = false;
    std::unique_ptr<QLockFile> m_lock;
};

} // namespace thicket::app
