#pragma once
// The open project: its scene, undo, file, autosave.

#include "io/project.h"
#include "scene/edits.h"

#include <QObject>
#include <QThreadPool>
#include <QTimer>
#include <QUndoStack>
#include <filesystem>

namespace thicket::app {

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

    /// Applies an edit as one undo step; merges with the step before where the merge keys agree.
    void push(Edit edit);
    /// Replaces everything (new, open). The undo history starts anew.
    void reset(Scene scene, const std::filesystem::path& path);
    /// Fills in meshes that belong to the state already there (levels cut again after opening). Not an undo step.
    void fillIn(const Subject& subject);
    void markSaved(const std::filesystem::path& path);

    /// Where this project's autosave lies; for an unnamed one in the user's data folder.
    [[nodiscard]] std::filesystem::path autosavePath() const;
    static std::filesystem::path autosavePathFor(const std::filesystem::path& project);
    void removeAutosave();
    /// Keeps unsaved work now, off the window's thread; what a timer does every half minute.
    void autosave();

signals:
    void sceneChanged();
    /// Name, path or clean state.
    void stateChanged();

private:
    class Step;

    Scene m_scene;
    std::filesystem::path m_path;
    QUndoStack m_undo;
    QTimer m_autosave;
    QThreadPool m_writer; ///< one thread: autosaves, one after another
};

} // namespace thicket::app
