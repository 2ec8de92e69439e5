#include "appmodel/document.h"

#include "base/file.h"

#include <QStandardPaths>
#include <QUndoCommand>

namespace thicket::app {
namespace fs = std::filesystem;

class Document::Step : public QUndoCommand {
public:
    Step(Document& document, Edit edit)
        : QUndoCommand(QString::fromStdString(edit.label)), m_document(document), m_edit(std::move(edit)) {}
    void redo() override {
        apply(m_document.m_scene, m_edit);
        emit m_document.sceneChanged();
    }
    void undo() override {
        apply(m_document.m_scene, m_edit.inverse());
        emit m_document.sceneChanged();
    }
    int id() const override { return m_edit.mergeKey.empty() ? -1 : 1; }
    bool mergeWith(const QUndoCommand* next) override {
        const auto* other = dynamic_cast<const Step*>(next);
        if (other == nullptr || other->m_edit.mergeKey != m_edit.mergeKey || m_edit.changes.size() != 1 ||
            other->m_edit.changes.size() != 1)
            return false;
        auto* mine = std::get_if<SubjectEdit>(&m_edit.changes.front());
        const auto* theirs = std::get_if<SubjectEdit>(&other->m_edit.changes.front());
        if (mine != nullptr && theirs != nullptr && mine->index == theirs->index) {
            mine->after = theirs->after;
            return true;
        }
        auto* settings = std::get_if<SettingsEdit>(&m_edit.changes.front());
        const auto* later = std::get_if<SettingsEdit>(&other->m_edit.changes.front());
        if (settings != nullptr && later != nullptr) {
            settings->after = later->after;
            return true;
        }
        return false;
    }

private:
    Document& m_document;
    Edit m_edit;
};

Document::Document(QObject* parent) : QObject(parent) {
    m_writer.setMaxThreadCount(1);
    m_autosave.setInterval(30'000);
    connect(&m_autosave, &QTimer::timeout, this, &Document::autosave);
    m_autosave.start();
    connect(&m_undo, &QUndoStack::cleanChanged, this, &Document::stateChanged);
}

Document::~Document() {
    m_writer.waitForDone();
}

void Document::push(Edit edit) {
    if (!edit.empty())
        m_undo.push(new Step(*this, std::move(edit)));
    emit stateChanged();
}

void Document::reset(Scene scene, const fs::path& path) {
    m_undo.clear();
    m_scene = std::move(scene);
    m_path = path;
    emit sceneChanged();
    emit stateChanged();
}

void Document::fillIn(const Subject& subject) {
    for (Subject& own : m_scene.subjects)
        if (own.id == subject.id) {
            for (std::size_t i = 0; i < own.levels.size() && i < subject.levels.size(); ++i)
                if (!own.levels[i].mesh && own.levels[i].triangles == subject.levels[i].triangles) {
                    const Level& made = subject.levels[i];
                    Level& level = own.levels[i];
                    level.mesh = made.mesh;
                    level.surfaces = made.surfaces; // with merged materials its UVs belong to them
                    level.materials = made.materials;
                    level.content = made.content;
                    level.vertices = made.vertices;
                    level.draws = made.draws;
                    level.pieces = made.pieces;
                }
            if (own.curve.empty())
                own.curve = subject.curve;
        }
    emit sceneChanged();
}

void Document::markSaved(const fs::path& path) {
    removeAutosave();
    m_path = path;
    m_undo.setClean();
    removeAutosave();
    emit stateChanged();
}

fs::path Document::autosavePathFor(const fs::path& project) {
    if (!project.empty())
        return fs::path(project.string() + ".autosave");
    return fs::path(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString()) /
           "untitled.thicket.json.autosave";
}

fs::path Document::autosavePath() const {
    return autosavePathFor(m_path);
}

void Document::removeAutosave() {
    m_writer.waitForDone(); // one on its way would come after
    std::error_code ec;
    fs::remove(autosavePath(), ec);
    if (m_path.empty())
        fs::remove_all(levelsFolder(autosavePath()), ec);
}

void Document::autosave() {
    if (!modified())
        return;
    // A full disk must not interrupt work: the next round tries again, and saving by hand says what is wrong.
    m_writer.start([this, scene = m_scene, file = autosavePath()] {
        if (writeAutosave(scene, file))
            QMetaObject::invokeMethod(this, &Document::stateChanged, Qt::QueuedConnection);
    });
}

} // namespace thicket::app
