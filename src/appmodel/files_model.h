#pragma once
// Gather: projects and meshes in, projects out.

#include "appmodel/session.h"
#include "appmodel/stage.h"
#include "appmodel/thin_model.h"
#include "io/ship/read_chain.h"

#include <QStringList>

namespace thicket::app {

class FilesModel : public QObject {
    Q_OBJECT
public:
    FilesModel(Session& session, ThinModel& thin);

    [[nodiscard]] StageState state() const;
    void newProject();
    void openProject(const QString& path);
    /// Meshes are added to the scene, those of a folder too; a project file replaces it.
    void openFiles(const QStringList& paths);
    /// Writes what is there when writing begins, beside whatever else runs.
    /// seenFrom  the shot camera, which is there again when it is opened; none: the file keeps the one it has.
    void saveProject(const QString& path, const std::optional<View>& seenFrom = {});
    /// Takes the autosaved state of a project (empty: one without a name) in place of the saved one.
    void recover(const QString& project, const QString& autosave);
    /// Says recoveryFound when work without a name was left behind by a crash.
    void lookForUnnamedWork();
    void relinkSource(std::uint32_t subject, const QString& file);
    /// Makes a mend of some meshes, one step of all; those that do not need it stay as they are.
    void mend(const std::vector<std::uint32_t>& ids, const Mend& mend);
    /// Makes all mends that a mesh's findings have, one step.
    void mendAll(std::vector<std::uint32_t> ids);
    /// Whether anything serious was found of a mesh that has a mend.
    [[nodiscard]] bool hasMends(std::uint32_t id) const;
    /// Levels from the most triangles to the fewest; those that are no lighter than the one before go.
    void putLevelsInOrder(std::uint32_t id);
    /// Makes a subject of each thing that a mesh's file holds, standing as it does in the whole, which goes; one step. Not
    /// of what stands in a field.
    void takeApart(std::uint32_t id);
    void removeSubject(std::uint32_t id);
    /// Gives a subject the rule and levels of another one of its kind, as one step.
    void takeLevels(std::uint32_t id, std::uint32_t from);
    void renameSubject(std::uint32_t id, const QString& name);

signals:
    void recoveryFound(const QString& project, const QString& autosave);
    void projectOpened(const QString& path);
    /// A project was written; `clean`: nothing was changed meanwhile.
    void projectSaved(const QString& path, bool clean);

private:
    void adoptLoad(ProjectLoad load, const std::filesystem::path& path);
    void adoptThings(const Subject& before, std::vector<Subject> things);
    void adoptChains(const std::vector<ChainFile>& chains, QStringList problems);

    Session& m_session;
    ThinModel& m_thin;
};

} // namespace thicket::app
