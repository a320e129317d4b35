"""What people and programs are answered: rows with stable keys, and the words beside them."""
