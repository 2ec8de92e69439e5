#include "appmodel/ship_model.h"

#include "appmodel/text.h"

namespace thicket::app {

ShipModel::ShipModel(Session& session) : m_session(session) {
    connect(&session.document, &Document::sceneChanged, this, [this](const Touched& touched) {
        if (!touched.everything)
            return;
        m_report.reset();
        emit shipChanged();
    });
}

StageState ShipModel::state() const {
    return {m_report.has_value(), m_report ? countText(m_report->files.size(), "file", "files") : QString()};
}

void ShipModel::ship(const QString& folder, const ShipOptions& options) {
    m_session.jobs().run(
        tr("Shipping"),
        [this, folder, options, asked = m_session.document.snapshot()](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = m_session.document.snapshot();
            if (start.document != asked.document)
                return {};
            auto report = shipScene(*start.scene, toPath(folder), options, job);
            if (!report)
                return [this, error = report.error()] { m_session.report(error); };
            return [this, start, result = *report, folder] {
                if (!m_session.document.isOpen(start))
                    return;
                m_report = result;
                emit shipChanged();
                m_session.say(tr("%1 written to %2, each read back and equal.")
                                  .arg(countText(result.files.size(), "file", "files"), folder));
            };
        });
}

} // namespace thicket::app
