#include "keeping/versions_strip.h"

#include "widgets/egg_rating.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QSignalBlocker>
#include <QVBoxLayout>

namespace yolk::app {
namespace {

constexpr QSize kPicture(96, 64), kItem(124, 94); // logical pixels
constexpr int kHeight = 108;

/// In the middle of its place, whatever its shape.
QPixmap framed(const QImage &picture, qreal ratio)
{
    QPixmap out(kPicture * ratio);
    out.fill(Qt::transparent);
    QPainter painter(&out);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    QRect place(QPoint(), picture.isNull() ? out.size() : picture.size().scaled(out.size(), Qt::KeepAspectRatio));
    place.moveCenter(out.rect().center());
    if (picture.isNull())
        painter.fillRect(place, QColor(0x76, 0x76, 0x75));
    else
        painter.drawImage(place, picture);
    painter.end();
    out.setDevicePixelRatio(ratio);
    return out;
}

} // namespace

VersionsStrip::VersionsStrip(Document *document, QWidget *parent)
    : QFrame(parent), document_(document), list_(new QListWidget(this)), empty_(new QLabel(this)),
      bringBack_(new QPushButton(this)), rating_(new EggRating(kBestRating, this)), chosen_(new QCheckBox(tr("Chosen")))
{
    setObjectName(QStringLiteral("versionsStrip"));
    setStyleSheet(
        QStringLiteral("#versionsStrip { background: palette(alternate-base); border-top: 1px solid palette(mid); }"));
    setFixedHeight(kHeight);
    list_->setViewMode(QListView::IconMode);
    list_->setFlow(QListView::LeftToRight);
    list_->setWrapping(false);
    list_->setMovement(QListView::Static);
    list_->setIconSize(kPicture);
    list_->setGridSize(kItem);
    list_->setFrameShape(QFrame::NoFrame);
    list_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setEditTriggers(QAbstractItemView::EditKeyPressed);
    list_->setContextMenuPolicy(Qt::CustomContextMenu);
    list_->setTextElideMode(Qt::ElideRight);
    list_->setAccessibleName(tr("Versions"));
    list_->setStyleSheet(QStringLiteral("QListWidget { background: transparent; border: none; }"
                                        "QListWidget::item { height: 88px; padding: 2px; }"));
    empty_->setText(tr("No version is kept yet. A version keeps all settings as they are now, to compare with and to "
                       "return to."));
    empty_->setWordWrap(true);
    empty_->setForegroundRole(QPalette::PlaceholderText);
    auto *keep = new QPushButton(tr("Keep a version…"), this);
    keep->setToolTip(tr("Keeps all settings as they are now. Ctrl+K"));
    bringBack_->setToolTip(tr("Brings back the version that was deleted last."));
    chosen_->setToolTip(tr("Marks this picture as one of those to be handed out."));
    auto *marks = new QVBoxLayout;
    marks->setSpacing(4);
    marks->addWidget(keep);
    marks->addWidget(bringBack_);
    marks->addStretch();
    auto *thought = new QHBoxLayout;
    thought->setSpacing(12);
    thought->addWidget(rating_);
    thought->addWidget(chosen_);
    thought->addStretch();
    marks->addLayout(thought);
    auto *layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 6, 12, 6);
    layout->setSpacing(12);
    layout->addWidget(list_, 1);
    layout->addWidget(empty_, 1);
    layout->addLayout(marks);
    connect(keep, &QPushButton::clicked, this, &VersionsStrip::keepAsked);
    connect(bringBack_, &QPushButton::clicked, document, &Document::bringVersionBack);
    connect(rating_, &EggRating::rated, document, &Document::setRating);
    connect(chosen_, &QCheckBox::toggled, document, &Document::setChosen);
    const auto take = [this](QListWidgetItem *item) { document_->returnToVersion(list_->row(item)); };
    connect(list_, &QListWidget::itemClicked, this, take);
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem *item) {
        document_->renameVersion(list_->row(item), item->text().trimmed());
        refresh(); // where that was no name
    });
    connect(list_, &QWidget::customContextMenuRequested, this, &VersionsStrip::showMenu);
    connect(document, &Document::versionsChanged, this, &VersionsStrip::refresh);
    connect(document, &Document::recipeChanged, this, &VersionsStrip::refresh);
    connect(document, &Document::versionPicturesChanged, this, &VersionsStrip::refreshPictures);
    connect(document, &Document::ratingChanged, this, &VersionsStrip::refresh);
    refresh();
}

void VersionsStrip::showEvent(QShowEvent *event)
{
    document_->setPaintsVersions(true);
    QFrame::showEvent(event);
}

void VersionsStrip::hideEvent(QHideEvent *event)
{
    document_->setPaintsVersions(false);
    QFrame::hideEvent(event);
}

void VersionsStrip::keyPressEvent(QKeyEvent *event)
{
    const int row = list_->currentRow();
    if (row < 0 || !list_->hasFocus())
        return QFrame::keyPressEvent(event);
    if (event->key() == Qt::Key_Delete)
        document_->deleteVersion(row);
    else if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
        document_->returnToVersion(row);
    else
        QFrame::keyPressEvent(event);
}

void VersionsStrip::refresh()
{
    const QSignalBlocker quietList(list_), quietChosen(chosen_);
    const QList<Version> &versions = document_->versions();
    while (list_->count() > int(versions.size()))
        delete list_->takeItem(list_->count() - 1);
    for (int i = 0; i < int(versions.size()); ++i) {
        if (i == list_->count()) {
            auto *item = new QListWidgetItem(list_);
            item->setFlags(item->flags() | Qt::ItemIsEditable);
            item->setTextAlignment(Qt::AlignHCenter | Qt::AlignTop);
            item->setSizeHint(kItem);
        }
        QListWidgetItem *item = list_->item(i);
        const bool present = document_->isOpen() && document_->recipe() == versions[i].recipe;
        QFont font = list_->font();
        font.setWeight(present ? QFont::DemiBold : QFont::Normal);
        item->setFont(font);
        item->setText(versions[i].name);
        item->setToolTip(present ? tr("%1: the present settings").arg(versions[i].name)
                                 : tr("%1: click to return to it; F2 renames, Delete deletes").arg(versions[i].name));
    }
    list_->setVisible(!versions.isEmpty());
    empty_->setVisible(versions.isEmpty());
    const QString gone = document_->deletedVersion();
    bringBack_->setText(tr("Bring back %1").arg(bringBack_->fontMetrics().elidedText(gone, Qt::ElideRight, 110)));
    bringBack_->setVisible(!gone.isEmpty());
    rating_->setValue(document_->rating());
    chosen_->setChecked(document_->isChosen());
    refreshPictures();
}

void VersionsStrip::refreshPictures()
{
    const QSignalBlocker quiet(list_);
    for (int i = 0; i < list_->count(); ++i)
        list_->item(i)->setIcon(framed(document_->versionPicture(i), devicePixelRatioF()));
}

void VersionsStrip::showMenu(const QPoint &at)
{
    QListWidgetItem *item = list_->itemAt(at);
    if (!item)
        return;
    const int row = list_->row(item);
    QMenu menu(this);
    menu.addAction(tr("&Return to it"), this, [this, row] { document_->returnToVersion(row); });
    menu.addAction(tr("&Compare with it"), this, [this, row] {
        Comparison *comparison = document_->comparison();
        comparison->setAgainst({ViewSource::Kind::Version, {}, row});
        if (comparison->way() == CompareWay::Off)
            comparison->setWay(CompareWay::Split);
    });
    menu.addSeparator();
    menu.addAction(tr("Re&name"), this, [this, item] { list_->editItem(item); });
    menu.addAction(tr("&Duplicate"), this, [this, row] { document_->duplicateVersion(row); });
    menu.addAction(tr("De&lete"), this, [this, row] { document_->deleteVersion(row); });
    menu.exec(list_->viewport()->mapToGlobal(at));
}

} // namespace yolk::app
