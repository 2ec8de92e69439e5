#include "appmodel/document.h"

#include "base/file.h"

#include <QUndoCommand>
#include <algorithm>

namespace thicket::app {
namespace fs = std::filesystem;

class Document::Step : public QUndoCommand {
public:
    Step(Document& document, Edit edit)
        : QUndoCommand(QString::fromStdString(edit.label)), m_document(document), m_edit(std::move(edit)) {}
    void redo() override { go(m_edit); }
    void undo() override { go(m_edit.inverse()); }
    int id() const override { return m_edit.mergeKey.empty() ? -1 : 1; }
    bool mergeWith(const QUndoCommand* next) override {
        const auto* other = dynamic_cast<const Step*>(next);
        if (other == nullptr || other->m_edit.mergeKey != m_edit.mergeKey || !merges(m_edit) || !merges(other->m_edit))
            return false;
        for (const auto& change : other->m_edit.changes)
            take(change);
        return true;
    }

private:
    /// Nothing in it comes or goes, so that places of subjects stay what they are.
    static bool merges(const Edit& edit) {
        return std::all_of(edit.changes.begin(), edit.changes.end(), [](const auto& change) {
            const auto* subject = std::get_if<SubjectEdit>(&change);
            return subject == nullptr || (subject->before && subject->after);
        });
    }
    /// Lays a later change over what there is of the same, or adds it.
    void take(const std::variant<SubjectEdit, SettingsEdit>& later) {
        for (auto& mine : m_edit.changes) {
            auto* subject = std::get_if<SubjectEdit>(&mine);
            const auto* theirs = std::get_if<SubjectEdit>(&later);
            if (subject != nullptr && theirs != nullptr && subject->index == theirs->index) {
                subject->after = theirs->after;
                return;
            }
            auto* settings = std::get_if<SettingsEdit>(&mine);
            if (settings != nullptr && theirs == nullptr) {
                settings->after = std::get<SettingsEdit>(later).after;
                return;
            }
        }
        m_edit.changes.push_back(later);
    }
    void go(const Edit& edit) {
        apply(m_document.m_scene, edit);
        for (Subject& subject : m_document.m_scene.subjects)
            m_document.fill(subject);
        m_document.changed(edit.touched());
    }

    Document& m_document;
    Edit m_edit;
};

Document::Document(QObject* parent) : QObject(parent) {
    m_now.scene = std::make_shared<const Scene>();
    m_writer.setMaxThreadCount(1);
    constexpr int kAutosaveMs = 30'000;
    m_autosave.setInterval(kAutosaveMs);
    connect(&m_autosave, &QTimer::timeout, this, &Document::autosave);
    m_autosave.start();
    connect(&m_undo, &QUndoStack::cleanChanged, this, &Document::stateChanged);
}

Document::~Document() {
    m_writer.waitForDone();
}

Snapshot Document::snapshot() const {
    const std::lock_guard lock(m_mutex);
    return m_now;
}

bool Document::isOpen(const Snapshot& snapshot) const {
    const std::lock_guard lock(m_mutex);
    return snapshot.document == m_now.document;
}

void Document::changed(const Touched& touched) {
    {
        const std::lock_guard lock(m_mutex);
        m_now.scene = std::make_shared<const Scene>(m_scene);
        ++m_now.revision;
        m_now.document += touched.everything ? 1 : 0;
    }
    emit sceneChanged(touched);
}

void Document::push(Edit edit) {
    if (!edit.empty())
        m_undo.push(new Step(*this, std::move(edit)));
    emit stateChanged();
}

void Document::reset(Scene scene, const fs::path& path) {
    m_undo.clear();
    m_filled.clear();
    m_scene = std::move(scene);
    m_path = path;
    m_place.moveTo(path);
    changed({true, true, {}});
    emit stateChanged();
}

/// Whether there was something to fill in.
bool Document::fill(Subject& subject) const {
    bool any = false;
    for (const Subject& made : m_filled) {
        if (made.id != subject.id || !subject.isMesh())
            continue;
        std::vector<Level>& levels = subject.mesh().levels;
        const std::vector<Level>& cut = made.mesh().levels;
        for (Level& level : levels)
            for (const Level& from : cut)
                if (!level.mesh && from.mesh && level.origin == LevelOrigin::Collapsed && level.origin == from.origin &&
                    level.triangles == from.triangles) {
                    level.mesh = from.mesh;
                    level.surfaces = from.surfaces; // with merged materials its UVs belong to them
                    level.materials = from.materials;
                    level.content = from.content;
                    level.vertices = from.vertices;
                    level.draws = from.draws;
                    level.pieces = from.pieces;
                    any = true;
                    break;
                }
        if (subject.mesh().curve.empty())
            subject.mesh().curve = made.mesh().curve;
    }
    return any;
}

void Document::fillIn(const Subject& subject) {
    m_filled.push_back(subject);
    bool any = false;
    for (Subject& own : m_scene.subjects)
        any |= fill(own);
    if (any)
        changed({false, false, {subject.id}});
}

bool Document::markSaved(const Snapshot& written, const fs::path& path) {
    if (!isOpen(written))
        return false;
    removeAutosave();
    m_path = path;
    m_place.moveTo(path);
    removeAutosave();
    if (snapshot().revision == written.revision)
        m_undo.setClean();
    else
        m_undo.resetClean(); // something was changed while it was written
    emit stateChanged();
    return true;
}

void Document::removeAutosave() {
    m_writer.start([file = m_place.path(), named = m_place.named()] { // after one that is on its way
        std::error_code ec;
        fs::remove(file, ec);
        if (!named)
            fs::remove_all(levelsFolder(file), ec);
    });
}

void Document::autosave() {
    if (!modified())
        return;
    // A full disk must not interrupt work: the next round tries again, and saving by hand says what is wrong.
    m_writer.start([this, scene = snapshot().scene, file = m_place.path()] {
        if (writeAutosave(*scene, file))
            QMetaObject::invokeMethod(this, &Document::stateChanged, Qt::QueuedConnection);
    });
}

} // namespace thicket::app
