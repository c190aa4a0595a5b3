"""The pages, in the order of work. One line here per page."""

from widefork.web.pages.actuals import PAGE as ACTUALS
from widefork.web.pages.cases import PAGE as CASES
from widefork.web.pages.cohorts import PAGE as COHORTS
from widefork.web.pages.compare import PAGE as COMPARE
from widefork.web.pages.drivers import PAGE as DRIVERS
from widefork.web.pages.frame import PAGE as FRAME
from widefork.web.pages.log import PAGE as LOG
from widefork.web.pages.lookout import PAGE as LOOKOUT
from widefork.web.pages.outgoings import PAGE as OUTGOINGS
from widefork.web.pages.people import PAGE as PEOPLE
from widefork.web.pages.roots import PAGE as ROOTS
from widefork.web.pages.seals import PAGE as SEALS
from widefork.web.pages.sell import PAGE as SELL
from widefork.web.pages.statements import PAGE as STATEMENTS
from widefork.web.pages.swings import PAGE as SWINGS
from widefork.web.pages.terms import PAGE as TERMS
from widefork.web.pages.waterline import PAGE as WATERLINE
from widefork.web.pages.work_back import PAGE as WORK_BACK

PAGES = (
    LOOKOUT,
    FRAME,
    ACTUALS,
    DRIVERS,
    PEOPLE,
    TERMS,
    STATEMENTS,
    WATERLINE,
    CASES,
    COMPARE,
    SWINGS,
    WORK_BACK,
    ROOTS,
    LOG,
    SEALS,
    SELL,
    OUTGOINGS,
    COHORTS,
)
