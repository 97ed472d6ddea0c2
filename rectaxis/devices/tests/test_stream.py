"""What pages hear ends with the page."""

import asyncio
from unittest import mock

from django.test import SimpleTestCase

from rectaxis.devices.channel import Hub


class Ends(SimpleTestCase):
    def test_a_page_that_goes_away_in_the_moment_in_which_something_is_told_is_heard_no_more(self):
        async def told_and_gone():
            hub = Hub()

            async def page():
                async for _ in hub.hear():
                    pass

            listening = asyncio.create_task(page())
            await asyncio.sleep(0.05)
            (queue,) = hub._pages
            queue.put_nowait("told")
            listening.cancel()
            await asyncio.wait([listening], timeout=1)
            ended = listening.cancelled()
            listening.cancel()
            return ended, len(hub._pages)

        with mock.patch("rectaxis.devices.channel.connect", side_effect=OSError):
            self.assertEqual(asyncio.run(told_and_gone()), (True, 0))
