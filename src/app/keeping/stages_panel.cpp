#include "keeping/stages_panel.h"

#include "keeping/changes_text.h"
#include "keeping/stage_row.h"
#include "steps/step_path.h"

#include <QLabel>

#include <algorithm>

namespace yolk::app {
StagesPanel::StagesPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), frames_(new QLabel(this))
{
    auto *title = new QLabel(tr("Stages, in the order of work"), this);
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    title->setFont(bold);
    add(title);
    frames_->setWordWrap(true);
    std::optional<Step> step;
    for (const SettingGroup &group : settingGroups()) {
        if (group.stage == Stage::Write)
            continue; // acts on files alone
        if (step != group.step) {
            step = group.step;
            auto *heading = new QLabel(QString(stepNames()[int(group.step)]).remove(QLatin1Char('&')), this);
            heading->setForegroundRole(QPalette::PlaceholderText);
            heading->setAlignment(Qt::AlignBottom);
            heading->setMinimumHeight(heading->sizeHint().height() + 6); // margins of its own go with the theme
            add(heading);
            if (rows_.isEmpty())
                add(frames_);
        }
        rows_ << new StageRow(document, group, this);
        add(rows_.last());
    }
    addStretch();
    connect(document, &Document::recipeChanged, this, &StagesPanel::refresh);
    frames_->hide();
}

StageRow *StagesPanel::row(const QString &key) const
{
    const auto found = std::ranges::find(rows_, key, &StageRow::key);
    return found == rows_.end() ? nullptr : *found;
}

void StagesPanel::refresh()
{
    const Recipe start = document_->start();
    const QStringList frames = changesOfFrames(document_->recipe());
    frames_->setText(frames.join(QStringLiteral(", ")));
    frames_->setVisible(!frames.isEmpty());
    for (StageRow *row : rows_)
        row->refresh(start);
}

} // namespace yolk::app
