"""The protocols that outside devices speak, and simulated ones that speak them."""
