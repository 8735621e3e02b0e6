"""The web service: routers, the live preview socket, and what guards them."""
