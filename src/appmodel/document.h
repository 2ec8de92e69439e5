#pragma once
// The open project: its scene, undo, file, autosave.

#include "appmodel/autosave_place.h"
#include "io/project/project.h"
#include "scene/edits.h"

#include <QObject>
#include <QThreadPool>
#include <QTimer>
#include <QUndoStack>
#include <filesystem>
#include <mutex>

namespace thicket::app {

/// A scene as it stood at one moment, for those who work beside the window.
struct Snapshot {
    std::shared_ptr<const Scene> scene;
    std::uint64_t document = 0; ///< which document: another number after every new or opened one
    std::uint64_t revision = 0; ///< rises with every change
};

/// All changes to the scene go through `push`; everyone else reads.
class Document : public QObject {
    Q_OBJECT
public:
    explicit Document(QObject* parent = nullptr);
    ~Document() override;

    [[nodiscard]] const Scene& scene() const { return m_scene; }
    [[nodiscard]] const std::filesystem::path& path() const { return m_path; }
    [[nodiscard]] QUndoStack& undo() { return m_undo; }
    [[nodiscard]] bool modified() const { return !m_undo.isClean(); }
    /// What is there now.
    /// THREADS    any.
    [[nodiscard]] Snapshot snapshot() const;
    /// Whether that snapshot is of the document that is open.
    [[nodiscard]] bool isOpen(const Snapshot& snapshot) const;

    /// Applies an edit as one undo step; merges with the step before where the merge keys agree.
    void push(Edit edit);
    /// Replaces everything (new, open). The undo history starts anew.
    void reset(Scene scene, const std::filesystem::path& path);
    /// Fills in meshes that belong to the state already there (levels cut again after opening). Not an undo step: they
    /// are filled in again wherever undo and redo lead.
    void fillIn(const Subject& subject);
    /// A snapshot was written to a path. The document is clean when nothing was changed since; when another is open by
    /// now, nothing happens. Returns whether it was this one.
    bool markSaved(const Snapshot& written, const std::filesystem::path& path);

    /// Where this project's unsaved work is kept.
    [[nodiscard]] const std::filesystem::path& autosavePath() const { return m_place.path(); }
    void removeAutosave();
    /// Goes on with unnamed work that was left behind: its file is this document's from now on.
    void takeOverAutosave(const std::filesystem::path& file) { m_place.takeOver(file); }
    /// Keeps unsaved work now, off the window's thread; what a timer does every half minute.
    void autosave();

signals:
    void sceneChanged(const Touched& touched);
    /// Name, path or clean state.
    void stateChanged();

private:
    class Step;
    void changed(const Touched& touched);
    bool fill(Subject& subject) const;

    Scene m_scene;
    std::filesystem::path m_path;
    QUndoStack m_undo;
    std::vector<Subject> m_filled; ///< levels that were cut again after opening
    mutable std::mutex m_mutex;
    Snapshot m_now; // guarded by m_mutex
    AutosavePlace m_place;
    QTimer m_autosave;
    QThreadPool m_writer; ///< one thread: autosaves and their removal, one after another
};

} // namespace thicket::app
